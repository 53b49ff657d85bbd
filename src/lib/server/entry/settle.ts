import { filesOf } from '$core/fieldTypes/files';
import { plainReading, type Reading } from '$core/fieldTypes/registry';
import type { Scalar } from '$core/types/expression';
import type { FieldId } from '$core/types/identity';
import { feedOf, sourcesInto } from '$core/flow/feeds';
import { fieldOf, findTable, isEntered, tableOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { directory } from '../access/directory';
import { tableName } from '../access/workspaceState';
import { Refusal, refuse } from '../base/refusal';

import { falseFile } from '../files/store';
import { takeValues, type TakenValue } from '../query/recordJson';
import type { Writing } from '../records/applyEdits';
import { mostProblems, problemsOfDrafts, type DraftProblem } from '../records/draftChecks';
import type { StoredValues, TableEdits } from '../records/edits';
import { pairEdits } from '../records/pairs';
import { removalEdits } from '../records/removal';
import type { RecordEdits, SentRecord } from './edits';
import { findMatches, type Match } from './matches';
import { throughFeed } from './throughFeed';
import { SeveralProblems } from './writeRefusals';
import { sql } from '../base/sql';

/** One record as sent, settled: its own values, and the targets of its links to many. */
interface Settled {
  /** Where it stood in what was sent. */
  readonly place: number;
  /** Null for a new one. */
  readonly id: number | null;
  readonly version?: number | undefined;
  readonly values: StoredValues;
  readonly pairs: ReadonlyMap<Field, readonly number[]>;
}

/**
 * The edits in the core's values, with what deletion rules make of linked records and the pairs of links to many. What
 * is wrong with several records is said together, with what the database would refuse of them; `tried`: of a single
 * one, too, and records without numbers of their own.
 */
export async function settle(
  writing: Writing,
  table: Table,
  { insert = [], update = [], remove = [] }: RecordEdits,
  tried = false,
): Promise<TableEdits[]> {
  requireOwn(writing, table, insert.length + remove.length);
  const { own: edited, sources } = await throughFeed(writing, table, update);
  const sent = [...insert.map((record) => ({ ...record, id: null })), ...edited];
  const { settled, problems } = await settleRecords(writing, table, sent, insert.length);
  const through: TableEdits[] = [];
  for (const { table: source, update: meant } of sources)
    through.push(...(await settle(writing, source, { update: meant }, tried)));
  // Of a single record the database says by itself what it refuses.
  const further =
    tried || settled.length > 1 ? await problemsOfDrafts(writing.client, writing.access, table, settled) : [];
  const wrong = [...problems, ...further].sort((a, b) => a.record - b.record);
  if (wrong.length > 0) throw new SeveralProblems(wrong);
  await requireKnownFiles(writing, table, settled);
  const made = settled.filter(({ id }) => id === null);
  const changed = settled.flatMap(({ id, ...record }) => (id === null ? [] : [{ ...record, id }]));
  const numbers = tried ? new Map<Settled, number>() : await numbersOf(writing, table, made);
  const own = {
    table,
    insert: made.map((record) => {
      const id = numbers.get(record);
      return { ...(id === undefined ? {} : { id }), values: record.values };
    }),
    update: changed.map(({ id, version, values }) => ({ id, values, ...(version === undefined ? {} : { version }) })),
  };
  const paired = tried
    ? []
    : [
        ...[...numbers].map(([{ pairs }, record]) => ({ record, isNew: true, pairs })),
        ...changed.flatMap(({ id, pairs }) => (pairs.size > 0 ? [{ record: id, isNew: false, pairs }] : [])),
      ];
  const pairs = await pairEdits(writing, paired);
  if (remove.length === 0) return [{ ...own, remove: [] }, ...pairs, ...through];
  const { cleared, gone, others } = await removalEdits(writing.client, writing.access, table, remove);
  return [...cleared, { ...own, remove: gone }, ...pairs, ...others];
}

/** Records of a feed come and go with those of its sources, and by no other way. */
function requireOwn({ access }: Writing, { id, label }: Table, count: number): void {
  if (count === 0 || !feedOf(tableOf(access.whole.model, id))) return;
  const names = sourcesInto(access.whole.model, id).flatMap(
    ({ source }) => findTable(access.sight, source.id)?.label ?? [],
  );
  const from = names.length > 0 ? names.join(' and ') : 'other tables';
  throw refuse(422, `The records of ${label} come from ${from}.`, `Make, change or delete them in ${from}.`);
}

type Sent = SentRecord & { readonly id: number | null; readonly version?: number };

/** Records as sent in the core's values, and what is wrong with others; `inserts`: so many of them are new. */
async function settleRecords(
  writing: Writing,
  table: Table,
  sent: readonly Sent[],
  inserts: number,
): Promise<{ settled: Settled[]; problems: DraftProblem[] }> {
  const reading = await readingFor(writing, table);
  const problems: DraftProblem[] = [];
  const each = <T, U>(records: readonly T[], work: (record: T, at: string) => U, placeOf: (record: T) => number): U[] =>
    records.flatMap((record) => {
      const place = placeOf(record);
      try {
        return [work(record, `/records/${place}/values`)];
      } catch (error) {
        if (!(error instanceof Refusal)) throw error;
        if (problems.length < mostProblems) problems.push({ record: place, ...error.problem });
        return [];
      }
    });
  const placed = sent.map((record, index) => ({
    record,
    place: record.place ?? (index < inserts ? index : index - inserts),
  }));
  // By what they see: what they do not is not there for what they send.
  const seen = findTable(writing.access.sight, table.id) ?? table;
  const whole = writing.access.workspace.model;
  const takenFrom = (values: Sent['values'], at: string) =>
    new Map([...takeValues(seen, values, at, reading)].map(([{ id }, value]) => [fieldOf(whole, id).field, value]));
  const taken = each(
    placed,
    ({ record, place }, at) => ({ record, place, at, values: takenFrom(record.values, at) }),
    ({ place }) => place,
  );
  const found = await targetsOf(writing, taken);
  const settled = each(
    taken,
    ({ record, place, at, values }) => {
      const { id, version } = record;
      const one = { place, id, version, ...withTargets(values, found) };
      requireFilled(table, one, at, seen);
      return one;
    },
    ({ place }) => place,
  );
  return { settled, problems };
}

type Taken = ReadonlyMap<Field, TakenValue>;
type By = Match['by'];

/** The records that links name by `match`. */
async function targetsOf(
  { client, access }: Writing,
  taken: readonly { readonly at: string; readonly values: Taken }[],
): Promise<ReadonlyMap<By, number | Refusal>> {
  const matches = taken.flatMap(({ at, values }) =>
    [...values].flatMap(([link, value]): Match[] => {
      const place = `${at}/${link.key}`;
      if (value.kind === 'match') return [{ link, by: value.by, at: place }];
      if (value.kind !== 'several') return [];
      return value.targets.flatMap((by) => (typeof by === 'number' ? [] : [{ link, by, at: place }]));
    }),
  );
  const ids = matches.length > 0 ? await findMatches(client, access, matches) : [];
  return new Map(matches.map(({ by }, index) => [by, ids[index] as number | Refusal]));
}

/** The values of a record with the targets of its links; throws the first refusal of a target. */
function withTargets(taken: Taken, found: ReadonlyMap<By, number | Refusal>): Pick<Settled, 'values' | 'pairs'> {
  const targetOf = (by: By): number => {
    const target = found.get(by);
    if (typeof target === 'number') return target;
    throw target ?? refuse(422, 'This names no record.');
  };
  const values = new Map<FieldId, Scalar>();
  const pairs = new Map<Field, readonly number[]>();
  for (const [field, value] of taken)
    if (value.kind === 'value') values.set(field.id, value.value);
    else if (value.kind === 'match') values.set(field.id, targetOf(value.by));
    else pairs.set(field, [...new Set(value.targets.map((one) => (typeof one === 'number' ? one : targetOf(one))))]);
  return { values, pairs };
}

/** The numbers of new records: given beforehand where some have pairs, which name them, so that all stay in their order. */
async function numbersOf(
  { client, access }: Writing,
  table: Table,
  made: readonly Settled[],
): Promise<Map<Settled, number>> {
  if (made.every(({ pairs }) => pairs.size === 0)) return new Map();
  const { rows } = await client.query<{ id: number }>(
    sql`
      select nextval(pg_get_serial_sequence(${tableName(access.workspace, table)}, '_id')) as id
      from generate_series(1, ${made.length}::int)
    `,
  );
  return new Map(made.map((record, index) => [record, rows[index]?.id ?? 0]));
}

function requireFilled(table: Table, { id, values, pairs }: Settled, at: string, seen: Table): void {
  for (const field of table.fields) {
    if (!field.required || !isEntered(field)) continue;
    const given = values.has(field.id) || pairs.has(field);
    const blank = pairs.has(field) ? pairs.get(field)?.length === 0 : (values.get(field.id) ?? null) === null;
    if (given ? blank : id === null && !field.default)
      throw seen.fields.some((one) => one.id === field.id)
        ? refuse(422, `${field.label} is required.`, 'Write a value.', `${at}/${field.key}`)
        : refuse(422, 'A field that you may not see is required.', 'Ask somebody who may see it.', at);
  }
}

/** Values may name only files that were sent to this workspace: a hash is no way to another one's. */
async function requireKnownFiles(
  { client, access }: Writing,
  table: Table,
  records: readonly { readonly values: StoredValues }[],
): Promise<void> {
  const fields = table.fields.filter(({ type }) => type.kind === 'files' || type.kind === 'pictures');
  if (fields.length === 0) return;
  const untrue = await falseFile(
    client,
    access,
    records.flatMap(({ values }) => fields.flatMap(({ id }) => filesOf(values.get(id) ?? null))),
  );
  if (!untrue) return;
  const { reference, type } = untrue;
  if (type === null)
    throw refuse(422, `“${reference.name}” was not sent to this workspace.`, 'Send it to POST …/files first.');
  throw refuse(
    422,
    `“${reference.name}” is not what it is said to be: it was sent as ${type}.`,
    'Write the reference that POST …/files answered.',
  );
}

/** How what is sent is read: times on the workspace's clocks, people by name where the table has any. */
async function readingFor({ client, access }: Writing, table: Table): Promise<Reading> {
  const reading = { ...plainReading, zone: access.workspace.zone };
  if (!table.fields.some(({ type }) => type.kind === 'member')) return reading;
  return { ...reading, people: await directory(client) };
}
