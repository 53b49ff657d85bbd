import { compileFormulas } from '$core/formula/compiler';
import { tablesFrom } from '$core/flow/graph';
import { fieldOf, isEntered, isStored, valueTypeOf } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/sql';
import { numberIn } from '$core/fieldTypes/runningNumber';
import { homeOf, tableName, type Seat } from '../access/seat';
import type { Client } from '../database/pool';
import { statementEpoch, prepared, withIds } from '../sql/statement';
import { Refusal } from '../base/refusal';
import { columnsOf, columnType, fromColumn, sent, sequenceName, toColumn, wireOf } from '../sql/column';
import { gatherersOf, type Gatherers } from '../calculation/nextLocks';
import { ChangedValues, recalculate, shareTargets, type Recalculation } from '../calculation/recalculate';
import { mostProblems } from './draftChecks';
import { brokenRules, type BrokenRule } from './rules';
import { updateRecords } from './updateRecords';
import { tablesToTell } from '../database/changeEvents';
import type { Tell } from '../database/progress';
import type { BatchInfo, HistoryRow, StoredValues, TableEdits } from './edits';

/** What an open transaction writes with. */
export interface Writing {
  readonly client: Client;
  readonly seat: Seat;
  /** The transaction holds the workspace alone. */
  readonly whole: boolean;
  /** Where the work may take long. */
  readonly tell?: Tell;
  /** Whether an edit with very many consequences is to ask first. */
  readonly ask?: boolean;
}

/**
 * The one way records are written: writes the edits, brings what is calculated up to date, holds the rules that the
 * database does not hold by itself, and keeps the history, all in the transaction given. Returns the batch and the ids
 * of new records, table by table.
 */
export async function applyEdits(
  writing: Writing,
  edits: readonly TableEdits[],
  info: BatchInfo,
): Promise<{ batch: number; inserted: number[][] }> {
  const { client, seat, whole, ask, tell } = writing;
  // How far it is can be told only where it stands alone: the many small edits side by side are over at once.
  const run: Recalculation = {
    client,
    workspace: seat.workspace,
    whole,
    changed: new ChangedValues(),
    ask,
    tell: whole ? tell : undefined,
  };
  const history: HistoryRow[] = [];
  const inserted = await writeEdits(run, edits, history);
  // Before what follows is worked out, so that the records that gather the edits are held no longer than it takes.
  const fields = run.changed.changedFields();
  const tables = [...edits.map(({ table }) => table), ...tablesFrom(seat.workspace.model, fields)].map(({ id }) => id);
  const gatherers = gatherersOf(run);
  const batch = await recordBatch(writing, info, history, tables, gatherers);
  for (const { table, ids } of gatherers) run.changed.addLocked(table.id, ids);
  await recalculate(run);
  await holdRules(writing, edits, inserted);
  return { batch, inserted };
}

/**
 * Records that break a rule which is looked at once they are written, each with its place among the edits of its table.
 */
export class RulesBroken extends Refusal {
  constructor(
    readonly broken: readonly (BrokenRule & {
      readonly table: Table;
      readonly kind: 'insert' | 'update';
      readonly index: number;
    })[],
  ) {
    const [first] = broken;
    super(422, { message: `${first?.title}: ${first?.message}`, fix: first?.fix });
  }
}

async function holdRules(
  { client, seat }: Writing,
  edits: readonly TableEdits[],
  inserted: readonly number[][],
): Promise<void> {
  const broken: RulesBroken['broken'][number][] = [];
  for (const [at, { table, insert, update }] of edits.entries()) {
    const made = inserted[at] ?? [];
    const most = insert.length + update.length > 1 ? mostProblems : 1;
    const changed = update.map(({ id }) => id);
    const written = new Set(update.flatMap(({ values }) => [...values.keys()]));
    for (const one of await brokenRules(client, seat, table, made, null, most))
      broken.push({ ...one, table, kind: 'insert', index: made.indexOf(one.id) });
    for (const one of await brokenRules(client, seat, table, changed, written, most))
      broken.push({ ...one, table, kind: 'update', index: changed.indexOf(one.id) });
  }
  if (broken.length > 0) throw new RulesBroken(broken);
}

/** Writes edits without what follows from them; the ids of new records, table by table. */
export async function writeEdits(
  run: Recalculation,
  edits: readonly TableEdits[],
  history: HistoryRow[],
): Promise<number[][]> {
  const inserted: number[][] = [];
  // Records of several tables may point at each other, so their links are checked together at the end.
  if (edits.length > 1) await run.client.query('set constraints all deferred');
  for (const edit of edits) {
    await updateRecords(run, edit, history);
    inserted.push(await insertRecords(run, edit, history));
  }
  for (const edit of edits) await removeRecords(run, edit, history);
  return inserted;
}

/**
 * New records that go in one statement, so that they get their numbers in the order they were sent in. Apart go only
 * those that bring a number of their own along, and those that leave different fields to their defaults.
 */
function insertedTogether(table: Table, insert: TableEdits['insert']): TableEdits['insert'][number][][] {
  const preset = table.fields
    .filter((field) => field.default || field.type.kind === 'runningNumber')
    .map(({ id }) => id);
  const groups = new Map<string, TableEdits['insert'][number][]>();
  for (const edit of insert) {
    const key = [edit.id === undefined, ...preset.filter((id) => edit.values.has(id))].join();
    const known = groups.get(key);
    if (known) known.push(edit);
    else groups.set(key, [edit]);
  }
  return [...groups.values()];
}

async function insertRecords(
  run: Recalculation,
  { table, insert }: TableEdits,
  history: HistoryRow[],
): Promise<number[]> {
  const { client, workspace, changed } = run;
  const ids: number[] = new Array<number>(insert.length);
  const places = new Map(insert.map((edit, index) => [edit, index]));
  for (const group of insertedTogether(table, insert)) {
    const fields = [...new Set(group.flatMap(({ values }) => [...values.keys()]))].map(
      (id) => fieldOf(workspace.model, id).field,
    );
    for (const link of fields.filter(({ type }) => type.kind === 'link'))
      await shareTargets(
        run,
        link,
        group.map(({ values }) => values.get(link.id)).filter((id) => typeof id === 'number'),
      );
    const own = group[0]?.id !== undefined;
    const all = group.map(({ values }) => values);
    const presets = defaultsOf(run, table, fields);
    const names = [...(own ? ['_id'] : []), ...columnsOf(fields), ...columnsOf(presets.fields)];
    const parameters: unknown[] = [
      ...(own ? [group.map(({ id }) => id)] : []),
      ...fields.map((field) => sent(field, all)),
    ];
    const sends = [
      ...(own ? [{ name: '_id', type: 'bigint', cast: '' }] : []),
      ...fields.map((field) => ({ name: quoteIdentifier(field.key), ...wireOf(field) })),
    ];
    // Without a value there is still a row for each record.
    const rowsSent =
      sends.length > 0
        ? `unnest(${sends.map(({ type }, index) => `$${index + 1}::${type}[]`).join(', ')})`
        : 'unnest($1::int[])';
    const given = sends.map(({ name, cast }, index) => `u.v${index}${cast} as ${name}`);
    const source = `(select ${[...given, ...presets.blanks].join(', ') || '1'} from ${rowsSent} u(${sends.map((_, index) => `v${index}`).join(', ') || 'one'})) r ${presets.joins}`;
    const picked = [...sends.map(({ name }) => `r.${name}`), ...presets.values];
    const name = tableName(workspace, table);
    const { rows } = await prepared(
      client,
      names.length > 0
        ? `insert into ${name} (${names.join(', ')}) select ${picked.join(', ')} from ${source} returning _id${columnsOf(
            presets.fields,
          )
            .map((column) => `, ${column}`)
            .join('')}`
        : `insert into ${name} select from ${source} returning _id`,
      sends.length > 0 ? parameters : [group.map(() => 1)],
      statementEpoch(workspace),
    );
    await followGivenNumbers(run, table, fields, all);
    // `insert … select from unnest` makes its rows in the order of the arrays.
    group.forEach((edit, index) => {
      const id = rows[index]?._id as number;
      ids[places.get(edit) ?? 0] = id;
      const preset = presets.fields.map(
        (field) => [field.id, fromColumn(valueTypeOf(field), rows[index]?.[field.key])] as const,
      );
      const values = new Map([...edit.values, ...preset]);
      history.push({
        table: table.id,
        first: id,
        last: id,
        kind: 'made',
        before: null,
        after: Object.fromEntries(values),
      });
      for (const link of table.fields.filter(({ type }) => type.kind === 'link'))
        changed.addTarget(link.id, id, (values.get(link.id) ?? null) as number | null);
    });
  }
  changed.addMade(table, ids);
  return ids;
}

/** Running numbers that were brought along are not given again. */
async function followGivenNumbers(
  { client, workspace }: Recalculation,
  table: Table,
  fields: readonly Field[],
  all: readonly StoredValues[],
): Promise<void> {
  for (const field of fields) {
    if (field.type.kind !== 'runningNumber') continue;
    const { pattern } = field.type;
    const greatest = Math.max(0, ...all.map((values) => numberIn(String(values.get(field.id) ?? ''), pattern) ?? 0));
    const sequence = `${quoteIdentifier(homeOf(workspace, table).key)}.${quoteIdentifier(sequenceName(field))}`;
    if (greatest > 0)
      await client.query(`select setval($1, greatest((select last_value from ${sequence}), $2))`, [sequence, greatest]);
  }
}

interface Presets {
  readonly fields: readonly Field[];
  /** Their values as SQL over the row `r` that is sent, with what has to be joined to it. */
  readonly values: readonly string[];
  readonly joins: string;
  /** Columns of the row that nobody sent, for formulas that read them. */
  readonly blanks: readonly string[];
}

/** What new records have in fields that nobody filled. */
function defaultsOf({ workspace }: Recalculation, table: Table, sent: readonly Field[]): Presets {
  const given = new Set(sent.map(({ id }) => id));
  const fields = table.fields.filter(
    (field) => field.default && !given.has(field.id) && isEntered(field) && field.type.kind !== 'counterpart',
  );
  if (fields.length === 0) return { fields, values: [], joins: '', blanks: [] };
  const { day, zone } = homeOf(workspace, table);
  const options = {
    model: workspace.model,
    nameOf: (other: Table) => tableName(workspace, other),
    today: `'${day}'::date`,
    zone,
    root: 'r',
    aggregates: 'each',
  } as const;
  const formulas = fields.flatMap(({ default: preset }) => (preset?.kind === 'formula' ? [preset.formula] : []));
  const compiled = compileFormulas(formulas, options);
  const values = fields.map((field) => {
    const preset = field.default;
    if (preset?.kind === 'formula')
      return `(${compiled.values[formulas.indexOf(preset.formula)] ?? 'null'})::${columnType(field)}`;
    if (preset?.kind === 'person') return 'loom.person()';
    if (preset?.kind === 'today') return field.type.kind === 'dateTime' ? `date_trunc('second', now())` : options.today;
    return `${quoteText(String(toColumn(field, preset?.kind === 'value' ? preset.value : null)))}::${columnType(field)}`;
  });
  const blanks = table.fields
    .filter((field) => isStored(field) && !given.has(field.id))
    .map((field) => `null::${columnType(field)} as ${quoteIdentifier(field.key)}`);
  return { fields, values, joins: compiled.joins, blanks: formulas.length > 0 ? blanks : [] };
}

async function removeRecords(run: Recalculation, { table, remove }: TableEdits, history: HistoryRow[]): Promise<void> {
  if (remove.length === 0) return;
  const { client, workspace, changed } = run;
  const fields = table.fields.filter((field) => isStored(field) && field.type.kind !== 'formula');
  const { rows } = await prepared(
    client,
    `delete from ${tableName(workspace, table)} where _id = any($1) returning _id${columnsOf(fields)
      .map((column) => `, ${column}`)
      .join('')}`,
    [remove],
    statementEpoch(workspace),
  );
  for (const row of rows) {
    const id = row._id as number;
    const before = Object.fromEntries(
      fields.map((field) => [field.id, fromColumn(valueTypeOf(field), row[field.key])]),
    );
    history.push({ table: table.id, first: id, last: id, kind: 'deleted', before, after: null });
    for (const field of table.fields)
      if (field.type.kind === 'link') changed.addTarget(field.id, id, row[field.key] as number | null);
  }
  for (const field of table.fields)
    changed.add(
      field.id,
      rows.map(({ _id }) => _id as number),
    );
}

/**
 * Writes the batch with its history, tells open pages, and locks the records that gather what changed, in one
 * statement.
 */
export async function recordBatch(
  { client, seat }: Writing,
  info: BatchInfo,
  history: readonly HistoryRow[],
  tables: readonly string[],
  gatherers: readonly Gatherers[] = [],
): Promise<number> {
  const column = (pick: (row: HistoryRow) => unknown) => history.map(pick);
  const json = (value: unknown) => (value === null ? null : JSON.stringify(value));
  const more: unknown[] = [];
  const next = (value: unknown) => `$${16 + more.push(value)}`;
  const undone =
    info.undoes === undefined
      ? ''
      : `, u as (update loom.batches set undone_by = b.id from b where loom.batches.id = ${next(info.undoes)})`;
  const locks = gatherers.map(({ table, ids }, index) => {
    const { where, parameter } = withIds('_id', ids, 16 + more.length + 1);
    more.push(parameter);
    return `, k${index} as (select 1 from ${tableName(seat.workspace, table)} where ${where} order by _id for no key update)`;
  });
  const held = gatherers.map((_, index) => `(select count(*) from k${index}) >= 0`).join(' and ');
  const { rows } = await prepared(
    client,
    `with b as (
       insert into loom.batches (workspace, person, kind, title, changes, inverse, version, call) values ($1, nullif($2::int, 0), $3, $4, $5, $6, $15, $16) returning id
     ), h as (
       insert into loom.history (batch, table_id, first_id, last_id, kind, before, after)
       select b.id, h.* from b, unnest($7::text[], $8::bigint[], $9::bigint[], $10::text[], $11::jsonb[], $12::jsonb[]) h
     )${undone}${locks.join('')}
     select b.id, pg_notify('loom', json_build_object('workspace', w, 'batch', b.id, 'tables', $13::text[])::text) from b, unnest($1::int || $14::int[]) w${held && ` where ${held}`}`,
    [
      seat.workspace.id,
      seat.person.id,
      info.kind,
      info.title,
      json(info.changes ?? null),
      json(info.inverse ?? null),
      column(({ table }) => table),
      column(({ first }) => first),
      column(({ last }) => last),
      column(({ kind }) => kind),
      column(({ before }) => json(before)),
      column(({ after }) => json(after)),
      tablesToTell(tables),
      seat.workspace.peers.map(({ id }) => id),
      info.changes ? seat.workspace.version : null,
      seat.call ?? null,
      ...more,
    ],
    gatherers.length > 0 ? statementEpoch(seat.workspace) : '',
  );
  return rows[0]?.id as number;
}
