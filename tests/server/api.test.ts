import { existsSync, readdirSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { describe, expect, test } from 'vitest';
import { alderfold } from '../alderfold';
import { applyChanges } from '$core/changes/change';
import { emptyModel, tableNamed } from '$core/model/model';
import { changesFromJson, changesSchema, type ChangeJson } from '$server/api/changes/changes';
import { modelJson } from '$server/api/modelJson';
import { endpoints, openApiDocument } from '$server/api/openapi';
import { defused } from '$core/base/defused';
import { Refusal } from '$server/base/refusal';

const routes = (folder: string): string[] =>
  readdirSync(folder).flatMap((name) =>
    statSync(join(folder, name)).isDirectory() ? routes(join(folder, name)) : name === '+server.ts' ? [folder] : [],
  );

test('every call that is described has its route, and every route is described', () => {
  const described = new Map<string, string[]>();
  for (const { path, method } of endpoints) {
    const folder = `src/routes${path.replace(/\{(\w+)\}/g, '[$1]')}`;
    expect(existsSync(`${folder}/+server.ts`), path).toBe(true);
    expect(readFileSync(`${folder}/+server.ts`, 'utf8'), `${method} ${path}`).toContain(`export const ${method} =`);
    described.set(folder, [...(described.get(folder) ?? []), method]);
  }
  for (const folder of routes('src/routes/api').filter((one) => !one.endsWith('openapi.json'))) {
    const methods = [...readFileSync(`${folder}/+server.ts`, 'utf8').matchAll(/export const (\w+) =/g)].map(
      ([, method]) => method,
    );
    expect(described.get(folder)?.sort(), folder).toEqual(methods.sort());
  }
});

test('the document is OpenAPI 3.1 with a schema for every body', () => {
  const document = openApiDocument() as {
    openapi: string;
    paths: Record<
      string,
      Record<string, { summary: string; requestBody?: { content: Record<string, { schema: { type?: string } }> } }>
    >;
  };
  expect(document.openapi).toBe('3.1.0');
  expect(Object.values(document.paths).flatMap((calls) => Object.values(calls)).length).toBe(endpoints.length);
  expect(
    document.paths['/api/workspaces/{ws}/plans']?.post?.requestBody?.content['application/json']?.schema.type,
  ).toBe('object');
  expect(JSON.stringify(document)).not.toContain('undefined');
});

describe('changes as programs write them', () => {
  test('make tables with links and formulas in one go, and read back as they were', () => {
    const sent: ChangeJson[] = [
      { do: 'addTable', label: 'Apiaries', fields: [{ label: 'Name', type: 'text', unique: true }] },
      {
        do: 'addTable',
        label: 'Hives',
        title: 'number',
        fields: [
          { label: 'Weight', type: 'number', digits: 1, unit: 'kg' },
          { label: 'Number', type: 'text' },
          { label: 'State', type: 'option', options: ['calm', { label: 'Wild one', dye: 'rust' }] },
          { label: 'Apiary', type: 'link', to: 'apiaries', onDelete: 'clear', counterpart: { label: 'Hives here' } },
          { label: 'Split from', type: 'link', to: 'hives' },
          { label: 'Tag', type: 'formula', formula: "apiary.name || ' ' || state" },
        ],
      },
      { do: 'changeField', table: 'hives', field: 'weight', set: { key: 'mass', digits: 3 } },
      { do: 'moveField', table: 'hives', field: 'state', to: 0 },
    ];
    expect(changesSchema.validate(sent).error).toBeUndefined();
    const applied = applyChanges(emptyModel, changesFromJson(emptyModel, sent));
    if (!applied.ok) throw new Error(JSON.stringify(applied.problem));
    const { tables } = modelJson(applied.value.model);
    expect(tables[1]?.title).toBe('number');
    expect(tables[1]?.fields.map(({ key }) => key)).toEqual([
      'state',
      'mass',
      'number',
      'apiary',
      'split_from',
      'tag',
      'hives',
      'created',
      'created_by',
      'last_changed',
      'last_changed_by',
    ]);
    expect(tables[1]?.fields.slice(0, 7)).toMatchObject([
      { options: [{ id: 'calm' }, { id: 'wild_one', dye: 'rust' }] },
      { type: 'number', digits: 3, unit: 'kg' },
      {},
      { to: 'apiaries', onDelete: 'clear', counterpart: { key: 'hives_here', many: true } },
      {},
      { formula: "apiary.name || ' ' || state", result: 'text' },
      { many: true, counterpartOf: 'split_from' },
    ]);
    expect(tables[0]?.fields[1]).toMatchObject({ key: 'hives_here', to: 'hives', many: true });
  });

  test('an option keeps its id when it is sent by label or by id with a new label', () => {
    const model = alderfold();
    const [change] = changesFromJson(model, [
      {
        do: 'changeField',
        table: 'hives',
        field: 'state',
        set: { options: [{ id: 'weak', label: 'feeble' }, 'strong', 'new'] },
      },
    ]);
    expect(change).toMatchObject({
      set: {
        type: {
          options: [
            { id: 'weak', label: 'feeble' },
            { id: 'strong', label: 'strong' },
            { id: 'new', label: 'new' },
          ],
        },
      },
    });
  });

  test.each<[ChangeJson, string]>([
    [{ do: 'removeTable', table: 'moons' }, 'no table “moons”'],
    [{ do: 'removeField', table: 'hives', field: 'moons' }, 'no field “moons”'],
    [{ do: 'addField', table: 'hives', field: { label: 'L', type: 'link', to: 'moons' } }, 'no table that is here'],
    [
      { do: 'addField', table: 'hives', field: { label: 'F', type: 'formula', formula: 'weigth' } },
      'no field “weigth”',
    ],
  ])('%j is refused with its place', (json, message) => {
    const refused = (() => {
      try {
        changesFromJson(alderfold(), [json]);
      } catch (error) {
        return error as Refusal;
      }
    })();
    expect(refused?.problem.message).toContain(message);
    expect(refused?.problem.at).toBeDefined();
  });

  test('removing a table takes its links along, in an order that can be applied', () => {
    const model = alderfold();
    const changes = changesFromJson(model, [
      { do: 'removeField', table: 'hives', field: 'last_inspected' },
      { do: 'removeTable', table: 'hives' },
    ]);
    const applied = applyChanges(model, changes);
    expect(applied.ok && tableNamed(applied.value.model, 'inspections')?.fields.map(({ key }) => key)).toEqual([
      'day',
      'keeper',
      'frames',
    ]);
  });
});

test.each([
  ['=1+1', "'=1+1"],
  ['+49 1', "'+49 1"],
  ['-5', '-5'],
  ['-5.25', '-5.25'],
  ['@x', "'@x"],
  ['plain', 'plain'],
  ['-2+3', "'-2+3"],
])('a spreadsheet reads %s as text', (cell, safe) => {
  expect(defused(cell)).toBe(safe);
});
