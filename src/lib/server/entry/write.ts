import type { Scalar } from '$core/formula/expression';
import { turnsAround } from '$core/flow/direction';
import type { FieldId } from '$core/model/identity';
import { fieldNamed, fieldOf, findTable, isEntered, linkedTable } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/sql';
import { filesOf } from '$core/fieldTypes/files';
import { plainReading, takeValue, type EnteredType, type Reading } from '$core/fieldTypes/registry';
import { directory } from '../access/directory';
import { withWorkspace } from '../access/lock';
import { acting, requireRole, tableAt, tableName, type Seat } from '../access/seat';
import type { BatchKind } from '../database/catalogue';
import type { Client, Pool } from '../database/pool';
import { falseFile } from '../files/store';
import { Refusal, refuse } from '../base/refusal';
import { applyEdits, RulesBroken, type Writing } from '../records/applyEdits';
import type { StoredValues, TableEdits } from '../records/edits';
import { toColumn } from '../sql/column';
import { constraintRefusal } from '../records/constraint';
import { mostProblems, problemsOfDrafts, refuseAll, type Draft, type DraftProblem } from '../records/draftChecks';
import { addFreeOptions } from './freeOptions';
import { pairEdits } from '../records/pairs';
import { readByIds } from '../query/read';
import { takeValues, valueOut, type RecordOut, type TakenValue } from '../query/recordJson';
import { reachOf } from '../calculation/reach';
import { ReachesMany } from '../calculation/recalculate';
import { effectWords, removalOf } from '../records/removal';
import { keepAside } from '../records/keepAside';
import { isHeldByDatabase } from '../records/rules';
import { VersionClash } from '../records/updateRecords';
import { tellAs } from '../database/progress';
import type { RecordEdits, SentRecord } from './edits';

/** An entry from outside: what it is in the history, and what is to be looked at first in its transaction. */
export interface Admission {
  readonly kind: BatchKind;
  readonly admit: (client: Client) => Promise<void>;
}

export interface WriteAnswer {
  readonly batch: number;
  readonly records: readonly RecordOut[];
}

/** Validates, writes, recalculates and answers the records with all their values; all of it or nothing. */
export async function writeRecords(
  pool: Pool,
  given: Seat,
  name: string,
  edits: RecordEdits,
  admission?: Admission,
): Promise<WriteAnswer> {
  requireRole(given.role, 'editor');
  const seat = await addFreeOptions(pool, given, tableAt(given, name), edits);
  try {
    return await withWorkspace(pool, seat, lockFor(seat, name, edits), async (client, now, whole) => {
      await admission?.admit(client);
      const table = tableAt(now, name);
      const tell = tellAs(client, now.workspace.id, { kind: 'edit', id: now.person.id });
      const writing = { client, seat: now, whole, tell, ask: edits.ask };
      const settled = await settle(writing, table, edits);
      const { batch, inserted } = await applyEdits(writing, settled, {
        kind: admission?.kind ?? 'edit',
        title: edits.title ?? titleOf(table, edits),
      });
      const own = settled.findIndex((edit) => edit.table === table);
      const made = inserted[own] ?? [];
      const ids = [...made, ...(edits.update ?? []).map(({ id }) => id)];
      const aside = [
        ...(edits.insert ?? []).map((edit, index) => ({ ...edit, id: made[index] ?? 0 })),
        ...(edits.update ?? []),
      ].flatMap(({ id, aside = [] }) => aside.map((misfit) => ({ table: table.id, record: id, ...misfit })));
      await keepAside(client, now, aside, batch);
      return { batch, records: await readByIds(client, now, table, ids) };
    });
  } catch (error) {
    if (error instanceof RulesBroken) throw refuseAll(placed(error, tableAt(seat, name), edits));
    if (error instanceof ReachesMany) throw await reachRefusal(pool, seat, tableAt(seat, name), edits);
    if (error instanceof VersionClash) throw clashRefusal(seat, error, edits);
    throw constraintRefusal(seat, error) ?? error;
  }
}

/**
 * What would be wrong with edits if they were written, whole and with all that follows; nothing is written. Up to
 * `mostProblems`.
 */
export async function problemsOf(pool: Pool, seat: Seat, name: string, edits: RecordEdits): Promise<DraftProblem[]> {
  const tried = tableAt(seat, name);
  try {
    return await withWorkspace(pool, seat, lockFor(seat, name, edits), async (client, now, whole) => {
      const table = tableAt(now, name);
      // What would go on for long is not tried: it is asked about before it is done.
      const writing: Writing = { client, seat: now, whole, ask: true };
      const settled = await settle(writing, table, edits, true);
      // Only what is calculated from the records, or reads others, has to be written to be looked at.
      const waits = (table.rules ?? []).some((rule) => !isHeldByDatabase(now.workspace.model, rule));
      if (!waits && !table.fields.some(({ type }) => type.kind === 'link' && type.candidates)) return [];
      await applyEdits(writing, settled.map(withoutNumbers), { kind: 'edit', title: 'tried' });
      throw new Tried();
    });
  } catch (error) {
    if (error instanceof Tried || error instanceof ReachesMany) return [];
    if (error instanceof SeveralProblems) return [...error.problems];
    if (error instanceof RulesBroken) return placed(error, tried, edits);
    if (error instanceof Refusal && error.status === 422) return [{ record: 0, ...error.problem }];
    throw constraintRefusal(seat, error) ?? error;
  }
}

/** Rolls back what was only tried. */
class Tried extends Error {}

/** New records under numbers that nobody has, so that trying them takes none from those to come. */
const withoutNumbers = (edit: TableEdits): TableEdits => ({
  ...edit,
  insert: edit.insert.map(({ values }, index) => ({
    id: -1 - index,
    values: new Map([
      ...edit.table.fields.filter(({ type }) => type.kind === 'runningNumber').map(({ id }) => [id, null] as const),
      ...values,
    ]),
  })),
});

/** Rules that records broke once they were written, by the places at which these were sent. */
function placed({ broken }: RulesBroken, table: Table, { insert = [], update = [] }: RecordEdits): DraftProblem[] {
  return broken.map(({ kind, index, title, message, fix, table: owner }) => {
    const record =
      owner.id === table.id ? ((kind === 'insert' ? insert : update)[index]?.place ?? Math.max(0, index)) : 0;
    return { record, message: `${title}: ${message}`, fix, at: `/records/${record}` };
  });
}

/** Says how many records of which tables would be calculated anew, for the person to choose. */
async function reachRefusal(
  pool: Pool,
  seat: Seat,
  table: Table,
  { insert = [], update = [], remove = [] }: RecordEdits,
) {
  const everything = insert.length > 0 || remove.length > 0;
  const named = new Set(update.flatMap(({ values }) => Object.keys(values)));
  const fields = table.fields
    .filter(({ key, id }) => everything || named.has(key) || named.has(id))
    .flatMap((field) => [field, ...pairLinks(seat, field)]);
  const reached = await reachOf(pool, seat.whole, new Set(fields.map(({ id }) => id)), [
    ...update.map(({ id }) => id),
    ...remove,
  ]);
  const count = reached.reduce((sum, one) => sum + one.count, 0);
  const labelOf = ({ id, label }: Table) => (findTable(seat.sight, id) ? label : 'a linked workspace');
  const words = reached.map((one) => `${one.count.toLocaleString('en')} of ${labelOf(one.table)}`).join(', ');
  const refusal = refuse(
    409,
    `Up to ${count.toLocaleString('en')} records would be calculated anew: ${words}.`,
    'Send it again without “ask” to do it.',
  );
  return Object.assign(refusal, {
    details: {
      reach: reached.map((one) => ({
        table: findTable(seat.sight, one.table.id)?.key ?? '',
        label: labelOf(one.table),
        count: one.count,
      })),
    },
  });
}

/** Edits whose consequences turn around take turns (see turnsAround); all others go side by side. */
function lockFor(
  given: Seat,
  name: string,
  { insert = [], update = [], remove = [] }: RecordEdits,
): 'shared' | 'whole' {
  const seat = acting(given);
  const table = tableAt(seat, name);
  const everything = insert.length > 0 || remove.length > 0;
  const names = new Set(update.flatMap(({ values }) => Object.keys(values)));
  // A link to many changes where its pairs point.
  const fields = table.fields
    .filter((field) => everything || names.has(field.key) || names.has(field.id))
    .flatMap((field) => [field, ...pairLinks(seat, field)]);
  return turnsAround(
    seat.workspace.model,
    fields.map(({ id }) => id),
  )
    ? 'whole'
    : 'shared';
}

const pairLinks = ({ workspace }: Seat, { type }: Field): Field[] =>
  type.kind === 'counterpart' && type.over !== undefined
    ? [fieldOf(workspace.model, type.link).field, fieldOf(workspace.model, type.over).field]
    : [];

function titleOf(table: Table, { insert = [], update = [], remove = [] }: RecordEdits): string {
  const records = (n: number) => `${n} ${n === 1 ? 'record' : 'records'}`;
  const fields = new Set(
    update.flatMap(({ values }) => Object.keys(values)).map((name) => fieldNamed(table, name)?.label ?? name),
  );
  return (
    [
      ...(insert.length > 0 ? [`${records(insert.length)} made`] : []),
      ...(update.length > 0 ? [`${[...fields].slice(0, 3).join(', ')} changed on ${records(update.length)}`] : []),
      ...(remove.length > 0 ? [`${records(remove.length)} deleted`] : []),
    ].join(', ') + ` in ${table.label}`
  );
}

/** Several records of what was sent cannot be written: each with its place. */
class SeveralProblems extends Refusal {
  constructor(readonly problems: readonly DraftProblem[]) {
    const { status, problem, details } = refuseAll(problems);
    super(status, problem, details);
  }
}

/**
 * The edits in the core's values, with what deletion rules make of linked records and the pairs of links to many. What
 * is wrong with several records is said together, with what the database would refuse of them; `try`: of a single one,
 * too.
 */
async function settle(
  writing: Writing,
  table: Table,
  { insert = [], update = [], remove = [] }: RecordEdits,
  tried = false,
): Promise<TableEdits[]> {
  const reading = await readingFor(writing, table);
  const problems: DraftProblem[] = [];
  const taken = async (record: SentRecord, index: number, isNew: boolean): Promise<Settled | null> => {
    const place = record.place ?? index;
    const at = `/records/${place}/values`;
    try {
      const settled = await resolve(writing, takeValues(table, record.values, at, reading), at);
      requireFilled(table, settled, isNew, at);
      return settled;
    } catch (error) {
      if (!(error instanceof Refusal)) throw error;
      if (problems.length < mostProblems) problems.push({ record: place, ...error.problem });
      return null;
    }
  };
  const inserts: { id?: number; values: StoredValues }[] = [];
  const updates: TableEdits['update'][number][] = [];
  const several: { record: number; isNew: boolean; pairs: Settled['pairs'] }[] = [];
  const drafts: Draft[] = [];
  for (const [index, record] of insert.entries()) {
    const settled = await taken(record, index, true);
    if (!settled) continue;
    drafts.push({ place: record.place ?? index, id: null, values: settled.values });
    // A record with pairs is given its number beforehand, as the pairs name it.
    const id = settled.pairs.size > 0 && !tried ? await nextId(writing, table) : undefined;
    inserts.push({ ...(id === undefined ? {} : { id }), values: settled.values });
    if (id !== undefined) several.push({ record: id, isNew: true, pairs: settled.pairs });
  }
  for (const [index, record] of update.entries()) {
    const settled = await taken(record, index, false);
    if (!settled) continue;
    drafts.push({ place: record.place ?? index, id: record.id, values: settled.values });
    updates.push({ id: record.id, version: record.version, values: settled.values });
    if (settled.pairs.size > 0 && !tried) several.push({ record: record.id, isNew: false, pairs: settled.pairs });
  }
  // Of a single record the database says by itself what it refuses.
  if (tried || drafts.length > 1)
    problems.push(...(await problemsOfDrafts(writing.client, writing.seat, table, drafts)));
  if (problems.length > 0) throw new SeveralProblems(problems.sort((a, b) => a.record - b.record));
  await requireKnownFiles(writing, table, [...inserts, ...updates]);
  const pairs = await pairEdits(writing, several);
  if (remove.length === 0) return [{ table, insert: inserts, update: updates, remove: [] }, ...pairs];
  const removal = await removalOf(writing.client, writing.seat, table, remove, true);
  const prevented = removal.effects.find(({ rule }) => rule === 'prevent');
  if (prevented)
    throw refuse(
      409,
      `Nothing was deleted: ${effectWords(prevented)}.`,
      `Point ${prevented.samples.slice(0, 3).join(', ')} elsewhere or delete them first.`,
    );
  if (removal.remove.length === 0)
    throw refuse(422, 'This would delete more records than one step may.', 'Delete them in parts.');
  const cleared = removal.effects.filter(({ rule }) => rule === 'clear');
  return [
    ...cleared.map(({ table: owner, link, ids }) => ({
      table: owner,
      insert: [],
      remove: [],
      update: ids.map((id) => ({ id, values: new Map([[link.id, null]]) })),
    })),
    { table, insert: inserts, update: updates, remove: removal.remove[0]?.ids ?? [] },
    ...pairs,
    ...removal.remove.slice(1).map(({ table: owner, ids }) => ({ table: owner, insert: [], update: [], remove: ids })),
  ];
}

/** Values may name only files that were sent to this workspace: a hash is no way to another one's. */
async function requireKnownFiles(
  { client, seat }: Writing,
  table: Table,
  records: readonly { readonly values: StoredValues }[],
): Promise<void> {
  const fields = table.fields.filter(({ type }) => type.kind === 'files' || type.kind === 'pictures');
  if (fields.length === 0) return;
  const untrue = await falseFile(
    client,
    seat,
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
async function readingFor({ client, seat }: Writing, table: Table): Promise<Reading> {
  const reading = { ...plainReading, zone: seat.workspace.zone };
  if (!table.fields.some(({ type }) => type.kind === 'member')) return reading;
  return { ...reading, people: await directory(client) };
}

async function nextId({ client, seat }: Writing, table: Table): Promise<number> {
  const { rows } = await client.query<{ id: number }>(`select nextval(pg_get_serial_sequence($1, '_id')) as id`, [
    tableName(seat.workspace, table),
  ]);
  return rows[0]?.id ?? 0;
}

function requireFilled(table: Table, { values, pairs }: Settled, isNew: boolean, at: string): void {
  for (const field of table.fields) {
    if (!field.required || !isEntered(field)) continue;
    const given = values.has(field.id) || pairs.has(field);
    const blank = pairs.has(field) ? pairs.get(field)?.length === 0 : (values.get(field.id) ?? null) === null;
    if (given ? blank : isNew && !field.default)
      throw refuse(422, `${field.label} is required.`, 'Write a value.', `${at}/${field.key}`);
  }
}

/** One record as sent, settled: its own values, and the targets of its links to many. */
interface Settled {
  readonly values: StoredValues;
  readonly pairs: ReadonlyMap<Field, readonly number[]>;
}

/** Finds the targets that links name by `match`; everything else is settled already. */
async function resolve({ client, seat }: Writing, taken: ReadonlyMap<Field, TakenValue>, at: string): Promise<Settled> {
  const values = new Map<FieldId, Scalar>();
  const pairs = new Map<Field, readonly number[]>();
  for (const [field, value] of taken) {
    const place = `${at}/${field.key}`;
    switch (value.kind) {
      case 'value':
        values.set(field.id, value.value);
        break;
      case 'match':
        values.set(field.id, await matchTarget(client, seat, field, value.by, place));
        break;
      case 'several': {
        const targets: number[] = [];
        for (const target of value.targets)
          targets.push(typeof target === 'number' ? target : await matchTarget(client, seat, field, target, place));
        pairs.set(field, [...new Set(targets)]);
      }
    }
  }
  return { values, pairs };
}

async function matchTarget(
  client: Client,
  seat: Seat,
  link: Field,
  by: Readonly<Record<string, unknown>>,
  at: string,
): Promise<number> {
  // By what the person may see only: else a match would tell what they may not.
  const target = linkedTable(seat.sight, fieldOf(seat.sight, link.id).field)?.table;
  if (!target) throw refuse(422, `${link.label} is no link.`, undefined, at);
  const parameters: unknown[] = [];
  const conditions = Object.entries(by).map(([name, value]) => {
    const field = fieldNamed(target, name);
    if (!field || !isEntered(field))
      throw refuse(422, `${target.label} has no field “${name}” to match with.`, undefined, at);
    const taken = takeValue(value, field.type as EnteredType);
    if (!taken.ok) throw refuse(422, `${field.label}: ${taken.problem.message}`, taken.problem.fix, at);
    return `${quoteIdentifier(field.key)} = $${parameters.push(toColumn(field, taken.value))}`;
  });
  if (conditions.length === 0)
    throw refuse(422, 'A match needs at least one field.', 'Write {"match": {"key": "value"}}.', at);
  const { rows } = await client.query<{ id: number }>(
    `select _id as id from ${tableName(seat.workspace, target)} where ${conditions.join(' and ')} limit 2`,
    parameters,
  );
  const [found, second] = rows;
  if (!found)
    throw refuse(
      422,
      `No record of ${target.label} matches ${JSON.stringify(by)}.`,
      'Correct the value or make that record first.',
      at,
    );
  if (second)
    throw refuse(
      422,
      `Several records of ${target.label} match ${JSON.stringify(by)}.`,
      'Match by a unique field.',
      at,
    );
  return found.id;
}

/** 409 with what stands now and what was to be written, field by field. */
function clashRefusal(seat: Seat, { table, id, stored }: VersionClash, { update = [] }: RecordEdits) {
  const sent = update.find((record) => record.id === id)?.values ?? {};
  const fields = Object.entries(sent).map(([name, yours]) => {
    const field = fieldNamed(table, name);
    const theirs = field && field.key in stored ? valueOut(seat.workspace.model, field, stored[field.key], null) : null;
    return { field: field?.key ?? name, theirs, yours };
  });
  const refusal = refuse(
    409,
    `Somebody else changed record ${id} of ${table.label} since you read it.`,
    'Look at both values and choose.',
  );
  return Object.assign(refusal, { details: { record: id, version: stored._version, fields } });
}
