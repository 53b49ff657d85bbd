import { mkdtemp, writeFile } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { randomFrom } from '../../demo/random';
import { partKinds } from '$core/parts/parts';
import { partsOf } from '$core/types/part';
import { dyes } from '$core/types/field';
import type { Person } from '$server/access/workspaceAccess';
import type { ChangeJson } from '$server/api/changes/changes';
import { Refusal } from '$server/base/refusal';
import type { Pool } from '$server/database/pool';
import { keepFile } from '$server/files/store';
import { transferred } from './calls';
import { makePlace, type Place } from './place';

type Json = Record<string, unknown>;

/** What workspaces that were made by chance had, counted: a kind that never came is no proof. */
export class Found {
  readonly counts = new Map<string, number>();
  add(kind: string, count = 1): void {
    this.counts.set(kind, (this.counts.get(kind) ?? 0) + count);
  }
}

const words = [
  'Ash',
  'Birch;Bark',
  'Cêdre “vert”',
  "D'ohm",
  'Elm, old',
  '=1+1',
  'Fir\tneedle',
  'Güte',
  '木',
  'Hazel — 2',
];

/** A workspace, sometimes two that are linked, with every kind of part in it, the same for the same start. */
export async function generated(pool: Pool, person: Person, start: number, found: Found): Promise<string> {
  const random = randomFrom(start);
  const upTo = (n: number): number => Math.floor(random() * n);
  const one = <T>(list: readonly T[]): T => list[upTo(list.length)] as T;
  const maybe = (share = 0.5): boolean => random() < share;
  const place = await makePlace(pool, person, `Made ${start}`);
  const other = start % 3 === 0 ? await makePlace(pool, person, `Other ${start}`) : null;
  const may = async (where: Place, change: Json): Promise<boolean> => {
    try {
      await where.change(change as unknown as ChangeJson);
      return true;
    } catch (error) {
      // What does not go together here is left out; what is counted is what came to be.
      if (error instanceof Refusal || (error instanceof Error && error.message.startsWith('['))) return false;
      throw error;
    }
  };
  /** Those of the changes that go, as many at once as do. */
  const those = async (where: Place, changes: readonly Json[]): Promise<number> => {
    if (changes.length === 0) return 0;
    try {
      await where.change(...(changes as unknown as ChangeJson[]));
      return changes.length;
    } catch {
      const half = Math.ceil(changes.length / 2);
      if (changes.length === 1) return (await may(where, changes[0] as Json)) ? 1 : 0;
      return (await those(where, changes.slice(0, half))) + (await those(where, changes.slice(half)));
    }
  };
  const options = () =>
    Array.from({ length: 2 + upTo(4) }, (_, n) => ({
      label: `${one(['low', 'mid', 'high', 'Öl', 'a b'])} ${n}`,
      dye: one(dyes),
      ...(maybe(0.15) ? { retired: true } : {}),
    }));
  const plain: readonly (() => Json)[] = [
    () => ({ type: 'text', ...(maybe(0.2) ? { maxLength: 400 } : {}) }),
    () => ({ type: 'longText', ...(maybe() ? { markdown: true } : {}) }),
    () => ({ type: 'number', digits: one([null, 0, 2]), ...(maybe() ? { unit: 'kg' } : {}) }),
    () => ({ type: 'money', currency: one(['EUR', null]), digits: 2 }),
    () => ({ type: 'percent', digits: one([null, 1]) }),
    () => ({ type: 'yesNo' }),
    () => ({ type: 'date' }),
    () => ({ type: 'dateTime' }),
    () => ({ type: 'duration' }),
    () => ({ type: 'option', options: options(), ...(maybe(0.3) ? { open: true, entry: 'buttons' } : {}) }),
    () => ({ type: 'options', options: options() }),
    () => ({ type: 'member' }),
    () => ({ type: 'url' }),
    () => ({ type: 'email' }),
    () => ({ type: 'phone' }),
    () => ({ type: 'place' }),
    () => ({ type: 'files' }),
    () => ({ type: 'pictures' }),
    () => ({ type: 'rating', most: 5 }),
    () => ({ type: 'progress' }),
    () => ({ type: 'runningNumber', pattern: one(['N-{000}', '{year}/{0000}', '{00}x']) }),
  ];
  const tables: { place: Place; key: string; fields: { key: string; type: string; json: Json }[] }[] = [];
  for (let n = 0; n < 3 + upTo(3); n++) {
    const where = other && n % 2 === 1 ? other : place;
    const key = `t${n}`;
    const fields = [
      { label: 'Name', key: 'name', type: 'text' } as Json,
      ...Array.from({ length: 4 + upTo(6) }, (_, at): Json => ({
        label: `${one(words)} ${at}`,
        key: `f${at}`,
        ...one(plain)(),
        ...(maybe(0.2) ? { help: `what it is “for”\n${one(words)}` } : {}),
        ...(maybe(0.1) ? { internal: true } : {}),
        ...(maybe(0.1) ? { unlisted: true } : {}),
        ...(maybe(0.1) ? { off: true } : {}),
        ...(maybe(0.1) ? { placeholder: 'as on the sheet', example: 'e.g. 12' } : {}),
      })),
      { label: 'Day', key: 'day', type: 'date', ...(maybe() ? { default: 'today' } : {}) },
      { label: 'Amount', key: 'amount', type: 'number', digits: 2, default: { value: 3.5 } },
      {
        label: 'State',
        key: 'state',
        type: 'option',
        options: ['open', 'done', 'lost'],
        default: { formula: "'open'" },
      },
      { label: 'Who', key: 'who', type: 'member', ...(maybe(0.3) ? { default: { value: person.id } } : {}) },
    ].map((field: Json): Json => ({
      ...field,
      ...(field.key === 'name' && maybe(0.3) ? { unique: true, required: 'fromNow' } : {}),
    }));
    await where.change({
      do: 'addTable',
      key,
      label: `${one(words)} table ${n}`,
      description: maybe() ? one(words) : '',
      dye: one(dyes),
      icon: one(['map-pin', 'hammer', null]),
      title: maybe(0.9) ? 'name' : null,
      fields,
    } as unknown as ChangeJson);
    tables.push({
      place: where,
      key,
      fields: fields.map((json) => ({ key: String(json.key), type: String(json.type), json })),
    });
    for (const { type } of fields) found.add(`field ${String(type)}`);
  }
  await linksOf();
  await besides();
  await records();
  await parts();
  await structureAtHand();
  const { workspace } = await place.access();
  for (const owner of [workspace.model, ...workspace.model.tables])
    for (const kind of partKinds) found.add(kind, partsOf(owner, kind).length);
  found.add('linked workspaces', workspace.peers.length);
  found.add(
    'rules',
    workspace.model.tables.reduce((sum, { rules, pairs }) => sum + (pairs ? 0 : (rules?.length ?? 0)), 0),
  );
  return place.key;

  async function linksOf(): Promise<void> {
    for (const [n, { place: where, key }] of tables.entries())
      for (let at = 0; at < 1 + upTo(2); at++) {
        const to = one(tables);
        const many = maybe(0.4);
        const field = {
          label: `Link ${n}${at}`,
          key: `l${n}${at}`,
          type: 'link',
          to: to.place === where ? to.key : `${to.place.key}.${to.key}`,
          many,
          onDelete: many ? one(['prevent', 'clear']) : one(['prevent', 'clear', 'remove']),
          counterpart: { label: `Back ${n}${at}`, key: `b${n}${at}`, ...(maybe(0.2) ? { off: true } : {}) },
          ...(!many && maybe(0.2) ? { unique: true } : {}),
          ...(maybe(0.2) ? { help: 'where it leads' } : {}),
        };
        if (!(await may(where, { do: 'addField', table: key, field }))) continue;
        found.add(many ? 'links to many' : 'links');
        if (maybe(0.3))
          await may(to.place, {
            do: 'changeField',
            table: to.key,
            field: `b${n}${at}`,
            set: { help: 'seen from there', unlisted: true },
          });
        if (
          !many &&
          maybe(0.4) &&
          (await may(where, {
            do: 'changeField',
            table: key,
            field: field.key,
            set: { shows: ['day'], candidates: `${field.key}.amount >= 0` },
          }))
        )
          found.add('limits');
        if (
          many
            ? await may(where, {
                do: 'addField',
                table: key,
                field: {
                  label: `Sum ${n}${at}`,
                  key: `s${n}${at}`,
                  type: 'formula',
                  formula: `sum(${field.key}.amount)`,
                },
              })
            : await may(where, {
                do: 'addField',
                table: key,
                field: { label: `Look ${n}${at}`, key: `s${n}${at}`, type: 'formula', formula: `${field.key}.name` },
              })
        )
          found.add('formulas over links');
      }
  }

  async function besides(): Promise<void> {
    for (const { place: where, key } of tables) {
      const formulas = [
        ['Twice', 'amount * 2'],
        ['Late', "case when state = 'open' and day < '2026-01-01' then day end"],
        ['Said', "coalesce(name, '?') || ' – ' || state"],
      ].filter(() => maybe(0.7));
      found.add(
        'formulas',
        await those(
          where,
          formulas.map(([label = '', formula]) => ({
            do: 'addField',
            table: key,
            field: { label, key: label.toLowerCase(), type: 'formula', formula, help: 'worked out' },
          })),
        ),
      );
      const others: Json[] = [
        { do: 'addRule', table: key, message: `Not “below” ${key}.`, condition: 'amount > -1000000', fromNow: maybe() },
        { do: 'addRule', table: key, message: 'Once each.', unique: ['name', 'day', 'amount'] },
        { do: 'changeField', table: key, field: 'created', set: { label: 'Made on', off: false } },
        { do: 'moveField', table: key, field: 'amount', to: 1 },
      ];
      await those(
        where,
        others.filter(() => maybe(0.4)),
      );
    }
  }

  async function records(): Promise<void> {
    const made = new Map<string, number>();
    for (const { place: where, key, fields } of tables) {
      const count = 3 + upTo(15);
      const rows: Json[] = [];
      for (let n = 0; n < count; n++) {
        const row: Json = {};
        for (const { key: name, type, json } of fields)
          if (name === 'name' || maybe(0.75)) row[name] = await value(where, type, json, n, name);
        rows.push(row);
      }
      await where.insert(
        key,
        ...rows.map((row) => Object.fromEntries(Object.entries(row).filter(([, one]) => one !== undefined))),
      );
      made.set(key, count);
    }
    for (const [n, { place: where, key }] of tables.entries()) {
      const { workspace } = await where.access();
      const table = workspace.model.tables.find((one) => one.key === key && one.home === undefined);
      for (const field of table?.fields ?? []) {
        if (!/^l\d/.test(field.key)) continue;
        const to =
          field.type.kind === 'link'
            ? workspace.model.tables.find(({ id }) => field.type.kind === 'link' && id === field.type.to)
            : undefined;
        const most = Math.min(...[...made.values()]);
        const update = Array.from({ length: made.get(key) ?? 0 }, (_, at) => at + 1)
          .filter(() => maybe(0.7))
          .map((id) => ({
            id,
            values: { [field.key]: to ? 1 + upTo(made.get(to.key) ?? 1) : [1 + upTo(most), 1 + upTo(most)] },
          }));
        await where.write(key, { update }).catch(async () => {
          for (const one of update) await where.write(key, { update: [one] }).catch(() => undefined);
        });
      }
      if (maybe(0.3))
        await may(where, {
          do: 'changeField',
          table: key,
          field: 'day',
          set: { required: 'fromNow' },
          breaking: 'fromNow',
        });
      // Numbers with gaps, and the last ones gone.
      if (maybe()) await where.write(key, { remove: [(made.get(key) ?? 1) - (n % 2)] }).catch(() => undefined);
    }
  }

  async function value(where: Place, type: string, json: Json, n: number, name: string): Promise<unknown> {
    switch (type) {
      case 'text':
        return name === 'name' ? `${one(words)} ${n}` : one([...words, 'two\nlines', '  ', '"quoted"']).trim() || null;
      case 'longText':
        return `# ${one(words)}\n\n* a\n* “b”, ${n}\n`;
      case 'number':
        return json.digits === 0 ? upTo(1000) - 500 : Math.round(random() * 100_000) / 100;
      case 'money':
        return json.currency === null
          ? { amount: upTo(10_000) / 100, currency: one(['EUR', 'CHF']) }
          : upTo(10_000) / 100;
      case 'percent':
        return upTo(1000) / 1000;
      case 'progress':
        return upTo(100) / 100;
      case 'yesNo':
        return maybe();
      case 'date':
        return `20${String(10 + upTo(20))}-0${1 + upTo(9)}-1${upTo(10)}`;
      case 'dateTime':
        return `2026-03-29T0${upTo(10)}:${String(10 + upTo(50))}:07Z`;
      case 'duration':
        return upTo(100_000);
      case 'option':
        return ((list) => (typeof list[0] === 'string' ? one(list as string[]) : (one(list) as Json).label))(
          json.options as unknown[],
        );
      case 'options':
        return [...new Set([one(json.options as Json[]), one(json.options as Json[])].map(({ label }) => label))];
      case 'member':
        return person.id;
      case 'url':
        return `https://alderfold.example/${n}?a=b;c`;
      case 'email':
        return `somebody${n}@alderfold.example`;
      case 'phone':
        return `+43 1 55500${10 + n}`;
      case 'place':
        return maybe()
          ? { address: one(words), latitude: upTo(90) + 0.25, longitude: -upTo(180) }
          : { address: 'Mill, by the “weir”' };
      case 'files':
      case 'pictures': {
        if (type === 'pictures' || maybe(0.5)) return undefined;
        const path = join(await mkdtemp(join(tmpdir(), 'loom-made-')), 'a.txt');
        await writeFile(path, `file ${start} ${n} ${one(words)}`);
        found.add('files');
        return [await keepFile(pool, await where.access(), { path, name: `note “${n}”.txt` })];
      }
      case 'rating':
        return 1 + upTo(5);
      default:
        return undefined;
    }
  }

  async function parts(): Promise<void> {
    for (const { place: where, key } of tables) {
      const columns = [
        { field: 'name', width: 240 },
        { field: 'amount', total: 'sum' },
        { field: 'day', hidden: true },
      ];
      const views: Json[] = [
        {
          label: 'Open ones',
          filter: "state = 'open' and amount > 1",
          sort: '-day',
          groups: 'state',
          columns,
          frozen: 1,
          lines: 2,
        },
        { label: 'By state', kind: 'board', by: 'state', columns },
        { label: 'When', kind: 'calendar', by: 'day', columns },
        { label: 'Cards', kind: 'cards', columns },
        { label: 'Mine', filter: 'who = person()', colours: [{ when: 'amount > 10', dye: 'moss' }] },
      ];
      await those(
        where,
        views.filter(() => maybe(0.4)).map((part) => ({ do: 'addPart', kind: 'view', table: key, part })),
      );
      if (maybe(0.6))
        await may(where, {
          do: 'addPart',
          kind: 'form',
          table: key,
          part: {
            label: 'Send one in',
            audience: one(['inside', 'outside']),
            intro: 'Please say **what** you saw.',
            thanks: 'Thank you.',
            next: null,
            closed: 'Over for this year.',
            most: maybe() ? 50 : null,
            sections: [
              {
                label: 'First',
                about: '',
                columns: 2,
                shownIf: '',
                items: [{ field: 'name', label: 'Your name' }, { field: 'state' }],
              },
              {
                label: 'Then',
                about: 'more',
                columns: 1,
                shownIf: "state = 'open'",
                items: [{ field: 'amount', shownIf: "state = 'open'" }],
              },
            ],
          },
        });
      if (maybe())
        await may(where, {
          do: 'addPart',
          kind: 'document',
          table: key,
          part: {
            label: 'Sheet',
            description: 'for the file',
            paper: { size: 'A4', landscape: maybe(), margins: [20, 20, 20, 20] },
            labels: null,
            header: [],
            body: [
              {
                type: 'heading',
                attrs: { level: 1 },
                content: [
                  { type: 'text', text: 'About ' },
                  { type: 'field', attrs: { formula: 'name' } },
                ],
              },
              { type: 'paragraph', content: [{ type: 'field', attrs: { formula: 'amount * 2' } }] },
            ],
            footer: [],
          },
        });
    }
    const roleTables = Object.fromEntries(
      tables
        .filter((one) => one.place === place)
        .map(({ key }) => [
          key,
          {
            see: "state <> 'lost'",
            enter: true,
            change: false,
            delete: false,
            design: false,
            fields: { amount: 'hidden' },
          },
        ]),
    );
    await may(place, {
      do: 'addPart',
      kind: 'role',
      part: {
        label: 'Helper',
        description: 'in the season',
        workspace: ['takeOut'],
        others: { see: true, enter: true, change: true, delete: false, design: false },
        tables: maybe() ? roleTables : {},
      },
    });
    await those(place, [
      { do: 'addPart', kind: 'language', part: { label: 'English', code: 'en', first: true } },
      {
        do: 'addPart',
        kind: 'language',
        part: { label: 'Deutsch', code: 'de', texts: { Name: 'Name\nin zwei Zeilen', open: '„offen“', Gone: 'fort' } },
      },
    ]);
    const first = tables.find((one) => one.place === place)?.key ?? 't0';
    await may(place, {
      do: 'addPart',
      kind: 'summary',
      part: {
        label: 'How it stands',
        description: 'for Monday',
        groups: [],
        filters: [],
        blocks: [
          {
            kind: 'number',
            title: 'All',
            place: { x: 0, y: 0, w: 4, h: 2 },
            table: first,
            measures: [{ total: 'count' }],
            where: "state = 'open'",
          },
          {
            kind: 'chart',
            chart: 'bars',
            title: 'By state',
            place: { x: 0, y: 2, w: 6, h: 5 },
            table: first,
            measures: [{ total: 'sum', of: 'amount' }],
            groups: 'state',
          },
        ],
      },
    });
    for (const { place: where, key } of tables) {
      const routines: Json[] = [
        {
          label: 'Made',
          when: { on: 'made' },
          steps: [{ do: 'set', fields: [{ field: 'amount', formula: 'amount + 1' }] }],
        },
        {
          label: 'Write',
          on: false,
          when: { on: 'changed', fields: ['amount'] },
          where: 'amount > 5',
          failing: 'goOn',
          steps: [
            {
              do: 'write',
              to: [{ person: person.id }, { formula: "'office@alderfold.example'" }],
              subject: '{name} is {amount}',
              text: 'So it is.',
              ...(where === place ? { summary: 'How it stands' } : {}),
            },
          ],
        },
        {
          label: 'Came true',
          when: { on: 'comesTrue', condition: 'amount > 100' },
          steps: [
            { do: 'stop', when: 'amount > 1000' },
            { do: 'set', fields: [{ field: 'state', formula: "'done'" }] },
          ],
        },
        {
          label: 'Near',
          when: { on: 'dateNear', field: 'day', days: -2, hour: 8 },
          steps: [{ do: 'set', fields: [{ field: 'state', formula: "'lost'" }] }],
        },
        {
          label: 'Button',
          when: { on: 'button', inputs: [{ label: 'Why', type: 'text', required: true }] },
          steps: [{ do: 'set', fields: [{ field: 'name', formula: 'why' }] }],
        },
      ];
      await those(
        where,
        routines.filter(() => maybe(0.35)).map((part) => ({ do: 'addPart', kind: 'routine', table: key, part })),
      );
    }
  }

  async function structureAtHand(): Promise<void> {
    if (maybe(0.6)) {
      const from = tables.filter((one) => one.place === place).slice(0, 2);
      await transferred(place, {
        work: 'feed',
        sources: from.map(({ key }, at) => ({
          table: key,
          mark: `mark ${at}`,
          ...(at === 1 ? { where: 'amount > 2' } : {}),
        })),
        to: { label: `Fed ${start}` },
        markLabel: 'Kind',
        fields: [
          { label: 'On', from: Object.fromEntries(from.map(({ key }) => [key, 'day'])) },
          { label: 'How much', from: Object.fromEntries(from.map(({ key }) => [key, 'amount'])) },
        ],
      });
      await may(place, { do: 'addField', table: `fed_${start}`, field: { label: 'Remark', type: 'text' } });
    }
    await pool.query(`update loom.workspaces set dye = $2, weave = $3 where key = $1`, [place.key, one(dyes), {}]);
  }
}
