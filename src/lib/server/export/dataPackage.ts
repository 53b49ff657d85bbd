import { tablePartKinds, partOf } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import { isSystem, isToMany, linkedTable, ownTables, tableOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field, FieldType } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { Expression } from '$core/types/expression';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import type { CellRow } from './cells';
import { asOfNow } from '../database/transaction';
import { csvPieces, recordColumn } from './csv';
import { ZipWriter } from './zip';
import { identifier, sql } from '../base/sql';

/** Types of Table Schema, of which every reader of packages knows what to do. */
const schemaTypes: Partial<Record<FieldType['kind'], string>> = {
  number: 'number',
  rating: 'integer',
  yesNo: 'boolean',
  date: 'date',
  dateTime: 'datetime',
  duration: 'duration',
};

/**
 * The fields that go into a package: what is stored, and links to many as lists of numbers on the side that has them
 * first; what the system keeps is made anew.
 */
const packedFields = (model: Model, table: Table): Field[] =>
  table.fields.filter((field) => {
    const { type } = field;
    if (isSystem(field) || field.unlisted) return false;
    if (type.kind !== 'counterpart') return true;
    return (
      isToMany(field) && tableOf(model, type.from).fields.find((one) => one.type.kind === 'link')?.id === type.link
    );
  });

interface PackedTable {
  readonly table: Table;
  readonly fields: readonly Field[];
  /** How programs write each field, by its identity. */
  readonly json: ReadonlyMap<string, Record<string, unknown>>;
}

/** What of a workspace a package has no place for, in words: said in it, and by whoever brings it in. */
function leftOut(tables: readonly Table[]): string[] {
  const count = (of: (table: Table) => number) => tables.reduce((sum, table) => sum + of(table), 0);
  const fields = (is: (field: Field) => boolean) =>
    count((table) => table.fields.filter((field) => !isSystem(field) && is(field)).length);
  return (
    [
      [count(({ rules }) => rules?.length ?? 0), 'rule', 'rules'],
      ...tablePartKinds().map((kind) => {
        const { word, words } = partOf(kind);
        return [count((table) => partsOf(table, kind).length), word, words] as const;
      }),
      [fields(({ default: preset }) => preset !== undefined), 'default value', 'default values'],
      [
        fields(({ type }) => type.kind === 'link' && type.candidates !== undefined),
        'limit of choices',
        'limits of choices',
      ],
      [fields(({ unlisted }) => unlisted === true), 'field left out of exports', 'fields left out of exports'],
      [
        fields(({ type }) => type.kind === 'files' || type.kind === 'pictures'),
        'field of files, of which only the names are here',
        'fields of files, of which only the names are here',
      ],
    ] as const
  ).flatMap(([n, one, many]) => (n === 0 ? [] : [`${n} ${n === 1 ? one : many}`]));
}

/**
 * The descriptor of a Data Package (version 1): each table a resource with its Table Schema, keys and foreign keys;
 * beside each type our own settings of the field.
 */
function descriptorOf(access: WorkspaceAccess, packed: readonly PackedTable[]): object {
  const { model, label, key } = access.workspace;
  const left = leftOut(packed.map(({ table }) => table));
  return {
    profile: 'tabular-data-package',
    name: key.replaceAll('_', '-'),
    title: label,
    ...(left.length > 0 ? { without: left } : {}),
    resources: packed.map(({ table, fields, json }) => {
      const title = table.fields.find(({ id }) => id === table.title);
      const foreignKeys = fields.flatMap((field) => {
        // A cell with several numbers is no key: where it leads is said in the field's own settings.
        const linked = isToMany(field) ? undefined : linkedTable(model, field);
        return linked && packed.some((one) => one.table.id === linked.table.id)
          ? [
              {
                fields: [field.key],
                reference: { resource: linked.table.id === table.id ? '' : linked.table.key, fields: [recordColumn] },
              },
            ]
          : [];
      });
      return {
        profile: 'tabular-data-resource',
        name: table.key,
        title: table.label,
        ...(table.description ? { description: table.description } : {}),
        path: `data/${table.key}.csv`,
        encoding: 'utf-8',
        dialect: { delimiter: ',', quoteChar: '"', header: true },
        table: { dye: table.dye, ...(title ? { title: title.key } : {}) },
        schema: {
          fields: [
            { name: recordColumn, type: 'integer', constraints: { required: true, unique: true } },
            ...fields.map((field) => fieldSchema(access, field, json.get(field.id) ?? {}, packed)),
          ],
          primaryKey: [recordColumn],
          missingValues: [''],
          // By the standard a list of keys has one at least.
          ...(foreignKeys.length > 0 ? { foreignKeys } : {}),
        },
      };
    }),
  };
}

function fieldSchema(
  { workspace }: WorkspaceAccess,
  field: Field,
  json: Record<string, unknown>,
  packed: readonly PackedTable[],
): object {
  const shown = shownType(workspace.model, field);
  const { kind } = shown;
  const linked = linkedTable(workspace.model, field);
  const options = shown.kind === 'option' && !shown.open ? shown.options.map(({ label }) => label) : null;
  const { id: _, key: __, label: ___, help: ____, ...settings } = json;
  return {
    name: field.key,
    title: field.label,
    ...(field.help ? { description: field.help } : {}),
    type: linked
      ? !isToMany(field) && packed.some((one) => one.table.id === linked.table.id)
        ? 'integer'
        : 'string'
      : kind === 'number' && shown.digits === 0
        ? 'integer'
        : (schemaTypes[kind] ?? 'string'),
    ...(kind === 'yesNo' ? { trueValues: ['yes'], falseValues: ['no'] } : {}),
    ...(kind === 'email' ? { format: 'email' } : kind === 'url' ? { format: 'uri' } : {}),
    ...(field.required || field.unique || options
      ? {
          constraints: {
            ...(field.required ? { required: true } : {}),
            ...(field.unique ? { unique: true } : {}),
            ...(options ? { enum: options } : {}),
          },
        }
      : {}),
    field: settings,
  };
}

/**
 * Tables as a Data Package, a whole workspace unless some are named, as they stood in one moment; without their records
 * only the structure.
 */
export async function* workspacePackage(
  pool: Pool,
  access: WorkspaceAccess,
  jsonOf: (field: Field) => Record<string, unknown>,
  tables: readonly Table[] = ownTables(access.workspace.model),
  records = true,
): AsyncGenerator<Uint8Array, void> {
  yield* asOfNow(pool, (client) => packagePieces(client, access, jsonOf, tables, records));
}

/** The archive: a CSV a table, links by the records' numbers, and the descriptor. */
async function* packagePieces(
  connection: Client,
  access: WorkspaceAccess,
  jsonOf: (field: Field) => Record<string, unknown>,
  tables: readonly Table[],
  records: boolean,
): AsyncGenerator<Uint8Array, void> {
  const packed = tables.map((table): PackedTable => {
    const fields = packedFields(access.workspace.model, table);
    return { table, fields, json: new Map(fields.map((field) => [field.id, jsonOf(field)])) };
  });
  const zip = new ZipWriter();
  zip.whole('datapackage.json', JSON.stringify(descriptorOf(access, packed), null, 2));
  yield* zip.take();
  for (const { table, fields } of packed) {
    const push = zip.long(`data/${table.key}.csv`);
    const none: Expression = { do: 'value', type: { is: 'boolean' }, value: false };
    const rows = csvPieces(
      connection,
      access,
      { table, fields, filter: records ? null : none, sort: [] },
      'program',
      (page) => withNumbers(connection, access, packed, table, fields, page),
    );
    for await (const chunk of rows) {
      push(chunk);
      yield* zip.take();
    }
    push('', true);
    yield* zip.take();
  }
  yield* zip.end();
}

/** Links as the numbers of their targets instead of their titles, which need not tell a record. */
async function withNumbers(
  connection: Client,
  access: WorkspaceAccess,
  packed: readonly PackedTable[],
  table: Table,
  fields: readonly Field[],
  page: readonly CellRow[],
): Promise<CellRow[]> {
  const ids = page.map(({ id }) => id);
  const numbers = new Map<number, Map<number, string>>();
  for (const [at, field] of fields.entries()) {
    const { type } = field;
    // What points outside the package stays a title.
    const target = linkedTable(access.workspace.model, field)?.table;
    if (!target || packed.every((one) => one.table.id !== target.id)) continue;
    const known = new Map<number, string>();
    if (type.kind === 'link') {
      const { rows } = await connection.query<{ id: number; target: number | null }>(
        sql`
          select _id as id, ${identifier(field.key)} as target
          from ${tableSql(access.workspace, table)} q
          where _id = any(${ids})
        `,
      );
      for (const { id, target } of rows) if (target !== null) known.set(id, String(target));
    } else if (type.kind === 'counterpart') {
      const pairs = access.workspace.model.tables.find(({ id }) => id === type.from);
      const near = pairs?.fields.find(({ id }) => id === type.link);
      const far = pairs?.fields.find(({ id }) => id === type.over);
      if (!pairs || !near || !far) continue;
      const { rows } = await connection.query<{ id: number; targets: string }>(
        sql`
          select ${identifier(near.key)} as id,
            string_agg(${identifier(far.key)}::text, ';' order by _id) as targets
          from ${tableSql(access.workspace, pairs)} q
          where ${identifier(near.key)} = any(${ids})
          group by 1
        `,
      );
      for (const { id, targets } of rows) known.set(id, targets);
    }
    numbers.set(at, known);
  }
  return page.map(({ id, values, cells }) => ({
    id,
    values,
    cells: cells.map((cell, at) => (numbers.has(at) ? { text: numbers.get(at)?.get(id) ?? '' } : cell)),
  }));
}
