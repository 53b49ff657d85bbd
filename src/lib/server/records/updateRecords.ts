import type { Scalar } from '$core/formula/expression';
import type { FieldId } from '$core/model/identity';
import { fieldOf, isStored, valueTypeOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/sql';
import { tableName } from '../access/seat';
import { statementEpoch, prepared, withIds, type Row } from '../sql/statement';
import { refuse } from '../base/refusal';
import type { HistoryRow, TableEdits } from './edits';
import { changedColumns, columnsOf, fromColumn, sent, wireOf } from '../sql/column';
import { shareTargets, type Recalculation } from '../calculation/recalculate';

type Update = TableEdits['update'][number];

/** Somebody saved the record since it was read; the caller adds both values for the person to choose. */
export class VersionClash extends Error {
  constructor(
    readonly table: Table,
    readonly id: number,
    readonly stored: Row,
  ) {
    super('the record moved on');
  }
}

/** Writes new values into records; only those count as changed, and go to the history, that really differ. */
export async function updateRecords(
  run: Recalculation,
  { table, update }: TableEdits,
  history: HistoryRow[],
): Promise<void> {
  if (update.length === 0) return;
  const groups = groupedByFields(update);
  // Records are locked by `_id`; one statement a group would take them in the groups' order.
  if (groups.length > 1 && !run.whole) await lockRecords(run, table, update);
  for (const group of groups) await updateGroup(run, table, group, history);
}

/** Edits that fill the same fields go in one statement. */
function groupedByFields(edits: readonly Update[]): Update[][] {
  const groups = new Map<string, Update[]>();
  for (const edit of edits) {
    const key = [...edit.values.keys()].sort().join();
    const known = groups.get(key);
    if (known) known.push(edit);
    else groups.set(key, [edit]);
  }
  return [...groups.values()];
}

async function lockRecords(
  { client, workspace }: Recalculation,
  table: Table,
  update: readonly Update[],
): Promise<void> {
  const { where, parameter } = withIds(
    '_id',
    update.map(({ id }) => id),
  );
  await prepared(
    client,
    `select 1 from ${tableName(workspace, table)} where ${where} order by _id for no key update`,
    [parameter],
    statementEpoch(workspace),
  );
}

async function updateGroup(
  run: Recalculation,
  table: Table,
  group: readonly Update[],
  history: HistoryRow[],
): Promise<void> {
  const { client, workspace, changed } = run;
  const fields = [...(group[0]?.values.keys() ?? [])].map((id) => fieldOf(workspace.model, id).field);
  const links = table.fields.filter(({ type }) => type.kind === 'link');
  const read = table.fields.filter((field) => isStored(field) && (fields.includes(field) || links.includes(field)));
  const { where, parameter } = withIds(
    '_id',
    group.map(({ id }) => id),
  );
  const columns: unknown[][] = [
    group.map(({ id }) => id),
    group.map(({ version }) => version ?? null),
    ...fields.map((field) =>
      sent(
        field,
        group.map(({ values }) => values),
      ),
    ),
  ];
  const { rows } = await prepared(
    client,
    updateStatement(run, table, { fields, read, where, one: group.length === 1 }),
    [parameter, ...(group.length === 1 ? columns.map(([first]) => first) : columns)],
    statementEpoch(workspace),
  );
  const now = new Map(rows.map((row) => [row._id as number, row]));
  const differing = group
    .map((edit) => differences(table, edit, now.get(edit.id), fields))
    .filter(({ values }) => values.size > 0);
  for (const link of fields.filter((field) => links.includes(field)))
    await shareTargets(
      run,
      link,
      differing.map(({ values }) => values.get(link.id)).filter((id) => typeof id === 'number'),
    );
  const stamped = table.fields.filter(({ type }) => type.kind === 'changedAt' || type.kind === 'changedBy');
  for (const field of stamped)
    changed.add(
      field.id,
      differing.map(({ id }) => id),
    );
  for (const field of fields)
    changed.add(
      field.id,
      differing.flatMap(({ id, values }) => (values.has(field.id) ? [id] : [])),
    );
  for (const { id, values, before } of differing) {
    for (const link of links) {
      changed.addTarget(link.id, id, (now.get(id)?.[link.key] ?? null) as number | null);
      if (values.has(link.id)) changed.addTarget(link.id, id, (values.get(link.id) ?? null) as number | null);
    }
    history.push({
      table: table.id,
      first: id,
      last: id,
      kind: 'changed',
      before: Object.fromEntries(before),
      after: Object.fromEntries(values),
    });
  }
}

interface Parts {
  readonly fields: readonly Field[];
  readonly read: readonly Field[];
  readonly where: string;
  /**
   * One record's values are sent one by one: of arrays PostgreSQL knows no length, and would plan the statement anew
   * each time.
   */
  readonly one: boolean;
}

const statements = new WeakMap<Model, Map<string, string>>();

/** The statement, kept for as long as the model is. */
function updateStatement(run: Recalculation, table: Table, parts: Parts): string {
  const { key, beside, model } = run.workspace;
  const kept = statements.get(model) ?? new Map<string, string>();
  statements.set(model, kept);
  const name = [key, ...(beside ?? []), table.id, parts.where, parts.one, ...parts.fields.map(({ id }) => id)].join();
  const known = kept.get(name) ?? writtenOut(run, table, parts);
  kept.set(name, known);
  return known;
}

/**
 * Locks the records, writes those that differ and were not saved by somebody else meanwhile, and gives what stood
 * before. $1 is for `where`; $2 the ids, $3 the versions the edits were made on, then the values of each field.
 */
function writtenOut({ workspace }: Recalculation, table: Table, { fields, read, where, one }: Parts): string {
  const name = tableName(workspace, table);
  const wires = fields.map(wireOf);
  const types = ['bigint', 'int', ...wires.map(({ type }) => type)].map(
    (type, index) => `$${index + 2}::${type}${one ? '' : '[]'}`,
  );
  const given = one ? `(values (${types.join(', ')}))` : `unnest(${types.join(', ')})`;
  const columns = columnsOf(fields);
  const values = fields.map((_, index) => `d.v${index}${wires[index]?.cast ?? ''}`);
  const assigned = columns.map((column, index) => `${column} = ${values[index] ?? 'null'}`);
  const differs =
    columns.map((column, index) => `o.${column} is distinct from ${values[index] ?? 'null'}`).join(' or ') || 'false';
  const set = [...assigned, ...changedColumns(table.fields, quoteIdentifier), '_version = t._version + 1'].join(', ');
  const parts = [
    `o as (select _id, _version${columnsOf(read)
      .map((column) => `, ${column}`)
      .join('')} from ${name} where ${where} order by _id for no key update)`,
    `u as (update ${name} t set ${set} from o join ${given} as d(${['id', 'version', ...fields.map((_, index) => `v${index}`)].join(', ')}) on d.id = o._id ` +
      `where t._id = o._id and (d.version is null or d.version = o._version) and (${differs}) returning 1)`,
  ];
  return `with ${parts.join(', ')} select o.* from o where (select count(*) from u) >= 0`;
}

/** What an update really changes. A record that is gone or moved on is refused with both sides. */
function differences(table: Table, edit: Update, row: Row | undefined, fields: readonly Field[]) {
  if (!row)
    throw refuse(
      409,
      `Record ${edit.id} of ${table.label} was deleted meanwhile.`,
      'Bring it back from History first.',
    );
  const before = new Map<FieldId, Scalar>();
  const values = new Map<FieldId, Scalar>();
  for (const field of fields) {
    const value = edit.values.get(field.id) ?? null;
    const stored = fromColumn(valueTypeOf(field), row[field.key]);
    const numeric = valueTypeOf(field).is === 'number' && stored !== null && value !== null;
    if (stored === value || (numeric && Number(stored) === Number(value) && sameNumber(stored, value))) continue;
    before.set(field.id, stored);
    values.set(field.id, value);
  }
  if (edit.version !== undefined && edit.version !== row._version) throw new VersionClash(table, edit.id, row);
  return { id: edit.id, before, values };
}

const sameNumber = (a: Scalar, b: Scalar): boolean => {
  const plain = (value: Scalar) => (String(value).includes('.') ? String(value).replace(/\.?0+$/, '') : String(value));
  return plain(a) === plain(b);
};
