import type { Scalar } from '$core/types/expression';
import type { ChangeField } from '$core/types/change';
import { checkRowFormula, rowText } from '$core/intake/rowFormula';
import { fieldNamed, fieldOf, findTable, isToMany, linkedTable } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/base/sql';
import { parseValue, plainReading, type EnteredType, type Reading } from '$core/fieldTypes/registry';
import { directory } from '../access/directory';
import { withWorkspace } from '../access/lock';
import { requireRight, seeing, tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import { applyEdits, type Writing } from '../records/applyEdits';
import { constraintRefusal } from '../records/constraint';
import { growth, isOpenList, newWordsOf, settingOff } from './freeOptions';
import { pairEdits } from '../records/pairs';
import { asideSeen } from '../query/asideSeen';
import { titleSql } from '../query/selection';
import { applyStructure } from '../structure/structure';
import { identifier, raw, sql } from '../base/sql';

/** Values of one field that were set aside for one reason. */
export interface SetAsideGroup {
  readonly table: string;
  readonly field: string;
  readonly label: string;
  readonly reason: string;
  readonly count: number;
}

/** The same text set aside on one or several records. */
export interface SetAsideText {
  readonly text: string;
  readonly reason: string;
  readonly count: number;
  /** The first few records, with what the field holds now. */
  readonly records: readonly { readonly id: number; readonly title: string }[];
}

const shownTexts = 500;
const shownRecords = 5;
/** So many values are fixed by one step, and undone by one. */
const mostFixed = 50_000;

/** What is set aside in a workspace, the most first. */
export async function setAsideGroups(pool: Pool, access: WorkspaceAccess): Promise<SetAsideGroup[]> {
  const { rows } = await pool.query<{ table: string; field: string; reason: string; count: number }>(
    sql`
      select table_id as table, field_id as field, reason, count(*) as count
      from loom.open_set_aside
      where workspace = ${access.workspace.id} and ${asideSeen(access)}
      group by 1, 2, 3
      order by 4 desc, 1, 2, 3
    `,
  );
  const { model } = access.workspace;
  return rows.flatMap((row) => {
    const table = findTable(model, row.table);
    const field = table?.fields.find(({ id }) => id === row.field);
    return table && field ? [{ ...row, table: table.key, field: field.key, label: field.label }] : [];
  });
}

/** Beyond it a count says little more and takes its time. */
const mostCounted = 9_999;

/** How many values are set aside in a workspace, counted no further than `mostCounted`. */
export async function countSetAside(pool: Pool, access: WorkspaceAccess): Promise<number> {
  const { rows } = await pool.query<{ n: number }>(
    sql`
      select count(*) as n
      from (
        select from loom.open_set_aside where workspace = ${access.workspace.id} and ${asideSeen(access)} limit ${mostCounted}
      ) s
    `,
  );
  return rows[0]?.n ?? 0;
}

/** The texts set aside in a field, the most frequent first, and how many there are. */
export async function setAsideTexts(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
): Promise<{ texts: SetAsideText[]; different: number; values: number }> {
  const { rows } = await pool.query<{
    text: string;
    reason: string;
    count: number;
    ids: string[];
    different: number;
    all: number;
  }>(
    sql`
      select text, min(reason) as reason, count(*) as count,
        (array_agg(record_id order by record_id))[1:${raw(String(shownRecords))}] as ids,
        count(*) over () as different, sum(count(*)) over ()::int as all
      from loom.open_set_aside
      where workspace = ${access.workspace.id} and table_id = ${table.id} and field_id = ${field.id}
        and ${asideSeen(access)}
      group by 1
      order by 3 desc, 1 limit ${shownTexts}
    `,
  );
  const { rows: titles } = await pool.query<{ id: number; title: string }>(
    sql`
      select t._id as id, ${raw(titleSql(access, table, 't'))} as title
      from ${tableSql(access.workspace, table)} t
      where t._id = any(${rows.flatMap(({ ids }) => ids.map(Number))})
    `,
  );
  const titleOf = new Map(titles.map(({ id, title }) => [id, title]));
  return {
    texts: rows.map(({ text, reason, count, ids }) => ({
      text,
      reason,
      count,
      records: ids.map((id) => ({ id: Number(id), title: titleOf.get(Number(id)) ?? `#${id}` })),
    })),
    different: rows[0]?.different ?? 0,
    values: rows[0]?.all ?? 0,
  };
}

/** How values that were set aside are fixed. */
export type Fix =
  /** Records that have this text get a value, written as people write it; a link by its target's number. */
  | { readonly do: 'replace'; readonly text: string; readonly value: string | number }
  /** All texts of the field are read another way: the decimal sign or the order of dates. */
  | { readonly do: 'read'; readonly reading: Pick<Reading, 'decimal' | 'dateOrder'> }
  /** All texts are first made into others by a formula over `value`, then read. */
  | { readonly do: 'formula'; readonly formula: string }
  /** The field stays blank, and nothing is set aside any more; without a text for all. */
  | { readonly do: 'leave'; readonly text?: string };

interface Entry {
  readonly id: number;
  readonly record: number;
  readonly text: string;
}

export interface Fixed {
  readonly batch: number | null;
  /** Values that were written, and those that still do not fit. */
  readonly fixed: number;
  readonly left: number;
}

/**
 * Fixes values of a field that were set aside, in one batch that can be undone; whatever does not fit stays set aside.
 */
export async function fixSetAside(
  pool: Pool,
  given: WorkspaceAccess,
  tableKey: string,
  fieldKey: string,
  fix: Fix,
  dry = false,
): Promise<Fixed> {
  requireRight(given, 'write');
  try {
    return await settingOff(pool, given, () =>
      withWorkspace(pool, given, 'exclusive', async (client, access) => {
        const table = tableAt(access, tableKey);
        const seen = fieldNamed(tableAt(seeing(access), tableKey), fieldKey);
        const stored = seen && table.fields.find(({ id }) => id === seen.id);
        if (!stored) throw notHere('field');
        const entries = await openEntries(client, access, table, stored, 'text' in fix ? fix.text : undefined);
        // Words that a correction brings to an open list are its options from then on.
        const words =
          fix.do !== 'leave' && isOpenList(stored) ? newWordsOf(stored.type, wordsOf(stored, fix, entries)) : [];
        const grows = isOpenList(stored) && words.length > 0 ? growth(table, stored, words) : null;
        const field = grows?.set.type ? { ...stored, type: grows.set.type } : stored;
        const values =
          fix.do === 'leave' ? new Map<number, Scalar>() : await fixedValues(client, access, field, fix, entries);
        const settled = fix.do === 'leave' ? entries : entries.filter(({ id }) => values.has(id));
        if (dry || settled.length === 0)
          return { batch: null, fixed: settled.length, left: entries.length - settled.length };
        const writing: Writing = { client, access, exclusive: true };
        const batch = await writeFixed(writing, table, field, settled, values, fix, grows);
        await client.query(
          sql`update loom.set_aside set settled_by = ${batch} where id = any(${settled.map(({ id }) => id)})`,
        );
        return { batch, fixed: settled.length, left: entries.length - settled.length };
      }),
    );
  } catch (error) {
    throw constraintRefusal(given, error) ?? error;
  }
}

function wordsOf(field: Field, fix: Exclude<Fix, { do: 'leave' }>, entries: readonly Entry[]): string[] {
  const after = textAfter(fix);
  const texts = entries.map(({ text }) => after(text)).filter((text) => typeof text === 'string');
  return field.type.kind === 'options' ? texts.flatMap((text) => text.split(text.includes(';') ? ';' : ',')) : texts;
}

async function openEntries(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  field: Field,
  text: string | undefined,
): Promise<Entry[]> {
  const { rows } = await client.query<Entry>(
    sql`
      select a.id, a.record_id as record, a.text
      from loom.open_set_aside a
      join ${tableSql(seeing(access).workspace, table)} t on t._id = a.record_id
      where a.workspace = ${access.workspace.id} and a.table_id = ${table.id} and a.field_id = ${field.id}
        and (${text ?? null}::text is null or a.text = ${text ?? null})
      order by a.id limit ${mostFixed}
    `,
  );
  return rows;
}

/** The values that fit, by the entry's number; a link's value is its target's number. */
async function fixedValues(
  client: Client,
  access: WorkspaceAccess,
  field: Field,
  fix: Exclude<Fix, { do: 'leave' }>,
  entries: readonly Entry[],
): Promise<Map<number, Scalar>> {
  const after = textAfter(fix);
  const texts = entries.map(({ id, text }) => ({ id, text: after(text) }));
  const found = new Map<number, Scalar>();
  // By what the person may see only: else a text that finds a record would tell what they may not.
  const linked = linkedTable(access.sight, fieldOf(access.sight, field.id).field);
  if (linked) {
    const named = await targetsNamed(
      client,
      seeing(access),
      linked.table,
      texts.flatMap(({ text }) => (typeof text === 'string' ? [text] : [])),
    );
    for (const { id, text } of texts) {
      const target = typeof text === 'number' ? text : named.get(text ?? '');
      if (target !== undefined) found.set(id, target);
    }
    return found;
  }
  const reading: Reading = {
    ...plainReading,
    zone: access.workspace.zone,
    ...(fix.do === 'read' ? fix.reading : {}),
    ...(field.type.kind === 'member' ? { people: await directory(client) } : {}),
  };
  for (const { id, text } of texts) {
    const read = text === null ? null : parseValue(String(text), field.type as EnteredType, reading);
    if (read?.ok && read.value !== null) found.set(id, read.value);
    // One value for all of them: why it does not fit is worth saying.
    else if (fix.do === 'replace')
      throw refuse(
        422,
        read && !read.ok ? read.problem.message : 'This is blank.',
        'Write another value, or leave the field blank.',
        '/value',
      );
  }
  return found;
}

/** What a way of fixing makes of a text before it is read. */
function textAfter(fix: Exclude<Fix, { do: 'leave' }>): (text: string) => string | number | null {
  switch (fix.do) {
    case 'replace':
      return () => fix.value;
    case 'read':
      return (text) => text;
    case 'formula': {
      const { expression, problems } = checkRowFormula(['text'], 0, fix.formula);
      const [problem] = problems;
      if (!expression) throw refuse(422, problem?.message ?? 'This is no formula.', problem?.fix, problem?.at);
      return (text) => rowText(expression, [text]);
    }
  }
}

/** Records of a table by a text that only one of them has as its title or in a field that is unique. */
async function targetsNamed(
  client: Client,
  access: WorkspaceAccess,
  target: Table,
  texts: readonly string[],
): Promise<Map<string, number>> {
  const said = [
    titleSql(access, target, 't'),
    ...target.fields
      .filter(({ unique, type }) => unique && type.kind === 'text')
      .map(({ key }) => `t.${quoteIdentifier(key)}`),
  ];
  const { rows } = await client.query<{ text: string; id: number }>(
    sql`
      select s.text, min(t._id) as id
      from ${tableSql(access.workspace, target)} t
      cross join lateral (values ${raw(said.map((one) => `(${one})`).join(', '))}) s(text)
      where s.text = any(${texts})
      group by 1
      having count(distinct t._id) = 1
    `,
  );
  return new Map(rows.map(({ text, id }) => [text, id]));
}

async function writeFixed(
  writing: Writing,
  table: Table,
  field: Field,
  settled: readonly Entry[],
  values: ReadonlyMap<number, Scalar>,
  fix: Fix,
  grows: ChangeField | null,
): Promise<number> {
  const were = settled.length === 1 ? '1 value' : `${settled.length.toLocaleString('en')} values`;
  const info = {
    kind: 'edit',
    title: `Set aside: ${were} of ${table.label}.${field.label} ${fix.do === 'leave' ? 'left blank' : 'fixed'}`,
  } as const;
  if (fix.do === 'leave') return (await applyEdits(writing, [], info)).batch;
  if (isToMany(field))
    return (
      await applyEdits(writing, await pairEdits(writing, await withTargets(writing, field, settled, values)), info)
    ).batch;
  // A record may have had several texts set aside in one field over time; the newest counts.
  const update = new Map(
    settled.map(({ id, record }) => [record, { id: record, values: new Map([[field.id, values.get(id) ?? null]]) }]),
  );
  const editsOf = (at: Table) => [{ table: at, insert: [], update: [...update.values()], remove: [] }];
  if (grows)
    return (
      await applyStructure(writing, [grows], info, {
        editsOf: (now) => Promise.resolve(editsOf(tableAt(now, table.id))),
      })
    ).batch;
  return (await applyEdits(writing, editsOf(table), info)).batch;
}

/** For a link to many: the targets each record has, and those that were found now. */
async function withTargets(
  { client, access }: Writing,
  field: Field,
  settled: readonly Entry[],
  values: ReadonlyMap<number, Scalar>,
) {
  const ids = [...new Set(settled.map(({ record }) => record))];
  const { near, far, pairs } = pairColumns(access.workspace.model, field);
  const { rows } = await client.query<{ record: number; target: number }>(
    sql`
      select ${identifier(near.key)} as record, ${identifier(far.key)} as target
      from ${tableSql(seeing(access).workspace, pairs)} q
      where ${identifier(near.key)} = any(${ids})
    `,
  );
  return ids.map((record) => {
    const have = rows.flatMap((row) => (row.record === record ? [row.target] : []));
    const found = settled.flatMap((entry) => (entry.record === record ? [Number(values.get(entry.id))] : []));
    return { record, isNew: false, pairs: new Map([[field, [...new Set([...have, ...found])]]]) };
  });
}

function pairColumns(model: Model, field: Field): { near: Field; far: Field; pairs: Table } {
  const { type } = field;
  const pairs = type.kind === 'counterpart' ? findTable(model, type.from) : undefined;
  const near = pairs?.fields.find(({ id }) => type.kind === 'counterpart' && id === type.link);
  const far = pairs?.fields.find(({ id }) => type.kind === 'counterpart' && id === type.over);
  if (!pairs || !near || !far) throw new Error(`${field.key} is no link to many`);
  return { near, far, pairs };
}
