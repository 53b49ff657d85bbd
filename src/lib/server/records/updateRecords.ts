import type { Scalar } from '$core/types/expression';
import { groupedBy } from '$core/base/grouped';
import type { FieldId } from '$core/types/identity';
import { fieldOf, isStored, valueTypeOf } from '$core/model/model';
import { quoteIdentifier } from '$core/base/sql';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableSql, type WorkspaceState } from '../access/workspaceState';
import { refuse } from '../base/refusal';

import { linksOf, targetsIn } from '../calculation/effects';
import { allTaken, lockedParents, parentLocks, shareTargets } from '../calculation/parentLocks';
import type { Recalculation } from '../calculation/effects';
import { changedColumns, columnNames, fromColumn, sent, wireOf } from '../sql/column';
import { among, prepared, statementEpoch, written, type Row, type Statement } from '../sql/statement';
import type { TableEdits, WriteDone } from './edits';
import { empty, identifier, join, raw, sql } from '../base/sql';

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
export async function updateRecords(run: Recalculation, { table, update }: TableEdits): Promise<WriteDone> {
  // Edits that fill the same fields go in one statement.
  const groups = [...groupedBy(update, ({ values }) => [...values.keys()].sort().join()).values()];
  // Records are locked by `_id`; one statement a group would take them in the groups' order.
  if (groups.length > 1 && !run.exclusive) await lockRecords(run, table, update);
  const done: WriteDone[] = [];
  for (const group of groups) done.push(await updateGroup(run, table, group));
  return { history: done.flatMap(({ history }) => history), effects: done.flatMap(({ effects }) => effects) };
}

async function lockRecords(
  { client, workspace }: Recalculation,
  table: Table,
  update: readonly Update[],
): Promise<void> {
  const ids = update.map(({ id }) => id);
  await prepared(
    client,
    sql`
      select 1 from ${tableSql(workspace, table)} where ${among(identifier('_id'), ids)}
      order by _id for no key update
    `,
    statementEpoch(workspace),
  );
}

async function updateGroup(run: Recalculation, table: Table, group: readonly Update[]): Promise<WriteDone> {
  const { client, workspace } = run;
  const fields = [...(group[0]?.values.keys() ?? [])].map((id) => fieldOf(workspace.model, id).field);
  const stamped = table.fields.filter(({ type }) => type.kind === 'changedAt' || type.kind === 'changedBy');
  const changing = [...stamped, ...fields].map(({ id }) => id);
  const statement = updateStatement(workspace, table, fields, group, run.exclusive ? [] : changing);
  const { rows } = await prepared(client, statement, statementEpoch(workspace));
  const now = new Map(rows.map((row) => [row._id as number, row]));
  const differing = group
    .map((edit) => differences(table, edit, now.get(edit.id), fields))
    .filter(({ values }) => values.size > 0);
  const links = linksOf(table);
  for (const link of fields.filter((field) => links.includes(field)))
    await shareTargets(
      run,
      link,
      differing.map(({ values }) => values.get(link.id)).filter((id) => typeof id === 'number'),
    );
  const ids = differing.map(({ id }) => id);
  const targets = [
    ...targetsIn(
      table,
      ids.map((id) => now.get(id)).filter((row) => row !== undefined),
    ),
    ...links.flatMap((link) =>
      differing.flatMap(({ id, values }) =>
        values.has(link.id) ? [[link.id, id, (values.get(link.id) ?? null) as number | null] as const] : [],
      ),
    ),
  ];
  return {
    history: differing.map(({ id, before, values }) => ({
      table: table.id,
      first: id,
      last: id,
      kind: 'changed',
      before: Object.fromEntries(before),
      after: Object.fromEntries(values),
    })),
    effects: [
      {
        changed: [
          ...stamped.map(({ id }) => [id, ids] as const),
          ...fields.map(
            ({ id }) => [id, differing.flatMap(({ id: record, values }) => (values.has(id) ? [record] : []))] as const,
          ),
        ],
        targets,
        locked: run.exclusive ? [] : lockedParents(workspace.model, table, changing, targets),
      },
    ],
  };
}

/**
 * Locks the records, writes those that differ and were not saved by somebody else meanwhile, locks those that aggregate
 * the fields that change (`changing`) of what they write, and gives what stood before. One record's values are sent one by one: of arrays PostgreSQL knows no length, and would plan the statement
 * anew each time.
 */
function updateStatement(
  workspace: WorkspaceState,
  table: Table,
  fields: readonly Field[],
  group: readonly Update[],
  changing: readonly FieldId[],
): Statement {
  const one = group.length === 1;
  const all = group.map(({ values }) => values);
  const columns: readonly (readonly unknown[])[] = [
    group.map(({ id }) => id),
    group.map(({ version }) => version ?? null),
    ...fields.map((field) => sent(field, all)),
  ];
  const ids = columns[0] as readonly number[];
  const sends = one ? columns.map(([first]) => first) : columns;
  const key = [
    'update',
    workspace.key,
    ...(workspace.shadowed ?? []),
    table.id,
    one,
    changing.length > 0,
    ...fields.map(({ id }) => id),
  ];
  return written(workspace.model, key.join(), [one ? ids[0] : ids, ...sends], () => {
    const name = tableSql(workspace, table);
    const read = table.fields.filter(
      (field) => isStored(field) && (fields.includes(field) || field.type.kind === 'link'),
    );
    const wires = fields.map(wireOf);
    const typed = ['bigint', 'int', ...wires.map(({ type }) => type)].map(
      (type, index) => sql`${sends[index]}::${raw(type)}${one ? empty : raw('[]')}`,
    );
    const given = fields.map((field, index) => ({
      column: identifier(field.key),
      value: raw(`d.v${index}${wires[index]?.cast ?? ''}`),
    }));
    const set = [
      ...given.map(({ column, value }) => sql`${column} = ${value}`),
      ...changedColumns(table.fields, quoteIdentifier).map(raw),
      raw('_version = t._version + 1'),
    ];
    const links = columnNames(linksOf(table), 't');
    // Where the links of what is written point now, and where they did.
    const locks = parentLocks(workspace, table, changing, ['u', '(select o.* from o join u using (_id)) b']);
    const differs = given.map(({ column, value }) => sql`o.${column} is distinct from ${value}`);
    return sql`
      with o as (
        select ${join([raw('_id'), raw('_version'), ...read.map(({ key }) => identifier(key))])}
        from ${name} where ${among(identifier('_id'), ids)}
        order by _id for no key update
      ), u as (
        update ${name} t set ${join(set)}
        from o join ${one ? sql`(values (${join(typed)}))` : sql`unnest(${join(typed)})`}
          as d(${raw(['id', 'version', ...fields.map((_, index) => `v${index}`)].join(', '))}) on d.id = o._id
        where t._id = o._id
          and (d.version is null or d.version = o._version)
          and (${differs.length > 0 ? join(differs, ' or ') : raw('false')})
        returning ${join([raw('t._id'), ...links])}
      )${locks.parts.length > 0 ? sql`, ${join(locks.parts)}` : empty}
      select o.* from o where ${allTaken(['u', ...locks.names])}
    `;
  });
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
