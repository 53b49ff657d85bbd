import { conditionMissing } from '../flow/dependencies';
import type { Expression } from '../types/expression';
import type { TableId } from '../types/identity';
import { findTable } from '../model/model';
import type { Model, Table } from '../types/model';
import {
  recordRights,
  workspaceRights,
  type FieldLimit,
  type Reach,
  type RecordRight,
  type Rights,
  type Role,
  type TableRights,
  type WorkspaceRight,
} from '../types/role';

const rights = (write: Reach, design = false): TableRights => ({
  see: 'all',
  enter: write,
  change: write,
  delete: write,
  design,
  fields: {},
});

/** The roles that every workspace has, from the one that may do everything to the one that may do least. */
export const builtInRoles: readonly Role[] = [
  {
    id: 'administrator',
    label: 'Administrator',
    description: 'Everything, and who else may do what.',
    workspace: workspaceRights,
    others: rights('all', true),
    tables: {},
  },
  {
    id: 'designer',
    label: 'Designer',
    description: 'Changes tables and fields, and brings data in.',
    workspace: ['design', 'bringIn', 'takeOut', 'share', 'routines'],
    others: rights('all', true),
    tables: {},
  },
  {
    id: 'editor',
    label: 'Editor',
    description: 'Enters, changes and deletes records, and shares views.',
    workspace: ['takeOut', 'share'],
    others: rights('all'),
    tables: {},
  },
  {
    id: 'reader',
    label: 'Reader',
    description: 'Sees all records but no internal fields, and takes them out.',
    workspace: ['takeOut'],
    others: rights('none'),
    tables: {},
  },
];

export const builtInRole = (id: string): Role | undefined => builtInRoles.find((role) => role.id === id);

const isSame = (one: Reach, other: Reach): boolean => JSON.stringify(one) === JSON.stringify(other);

/** A role as a sentence names it. */
export const roleInWords = ({ id, label }: Pick<Role, 'id' | 'label'>): string =>
  builtInRole(id) ? label.toLowerCase() : `“${label}”`;

/** The rights of nobody. */
export const noRights: TableRights = { ...rights('none'), see: 'none' };
export const nothing: Rights = { workspace: [], others: noRights, tables: {} };

/** What somebody may do in a table. */
const rightsIn = ({ tables, others }: Rights, table: TableId): TableRights => tables[table] ?? others;

/**
 * The same over a table of a model. The pairs of a link to many go by the tables that they link: they are seen where
 * both are, and written where either is changed.
 */
export function rightsOver(model: Model, of: Rights, table: Table): TableRights {
  if (!table.pairs) return rightsIn(of, table.id);
  const sides = table.fields.flatMap(({ type }) => {
    const side = type.kind === 'link' ? findTable(model, type.to) : undefined;
    return side && side.home === table.home ? [rightsIn(of, side.id)] : [];
  });
  const isSeen = sides.every(({ see }) => see !== 'none');
  const isWritten = isSeen && sides.some(({ enter, change }) => enter !== 'none' || change !== 'none');
  const write: Reach = isWritten ? 'all' : 'none';
  return {
    ...rights(
      write,
      sides.every(({ design }) => design),
    ),
    see: isSeen ? 'all' : 'none',
  };
}

export const has = ({ workspace }: Rights, right: WorkspaceRight): boolean => workspace.includes(right);

/** Whether somebody may write in a table at all. */
export const writesIn = ({ enter, change, delete: remove }: TableRights): boolean =>
  [enter, change, remove].some((reach) => reach !== 'none');

/** Whether somebody may write in any table. */
export const writes = ({ others, tables }: Rights): boolean => [others, ...Object.values(tables)].some(writesIn);

/** Whether somebody may change the structure of a table. */
export const designs = (of: Rights, table: TableId): boolean => rightsIn(of, table).design;

/** Whether nothing of a table is kept from those who have these rights: no record, and no field. */
const isWhole = ({ see, fields }: TableRights): boolean =>
  see === 'all' && Object.values(fields).every((limit) => limit !== 'hidden');

/** Whether nothing of a workspace is kept from those who have these rights. */
export const seesWhole = ({ others, tables }: Rights): boolean => [others, ...Object.values(tables)].every(isWhole);

/** Whether all records of a table are seen, whatever fields. */
export const seesAllOf = (of: Rights, table: TableId): boolean => rightsIn(of, table).see === 'all';

/** What both allow: rights cut to those that something else is limited to, such as a token. */
export function bothOf(one: Rights, other: Rights): Rights {
  const names = new Set([...Object.keys(one.tables), ...Object.keys(other.tables)]);
  return {
    workspace: one.workspace.filter((right) => other.workspace.includes(right)),
    others: bothIn(one.others, other.others),
    tables: Object.fromEntries([...names].map((id) => [id, bothIn(rightsIn(one, id), rightsIn(other, id))])),
  };
}

function bothIn(one: TableRights, other: TableRights): TableRights {
  const stricter = (a: FieldLimit | undefined, b: FieldLimit | undefined): FieldLimit =>
    a === 'hidden' || b === 'hidden' ? 'hidden' : 'seen';
  const fields = new Set([...Object.keys(one.fields), ...Object.keys(other.fields)]);
  const reaches = Object.fromEntries(recordRights.map((right) => [right, bothReach(one[right], other[right])]));
  return {
    ...(reaches as Record<RecordRight, Reach>),
    design: one.design && other.design,
    fields: Object.fromEntries([...fields].map((id) => [id, stricter(one.fields[id], other.fields[id])])),
  };
}

function bothReach(one: Reach, other: Reach): Reach {
  if (one === 'none' || other === 'none') return 'none';
  if (one === 'all' || isSame(one, other)) return other;
  return other === 'all' ? one : { do: 'call', name: 'and', args: [one, other], type: { is: 'boolean' } };
}

/**
 * The same in some tables, with nothing in all others. What works on a whole workspace, such as its structure, is none
 * of it.
 */
export const onlyIn = (of: Rights, tables: readonly TableId[]): Rights => ({
  workspace: of.workspace.filter((right) => right === 'takeOut' || right === 'share'),
  others: noRights,
  tables: Object.fromEntries(tables.map((id) => [id, { ...rightsIn(of, id), design: false }])),
});

/** The same for one who looks and does not write. */
export const onlySeeing = (of: Rights): Rights => {
  const still = (table: TableRights): TableRights => ({
    ...table,
    enter: 'none',
    change: 'none',
    delete: 'none',
    design: false,
  });
  return {
    workspace: [],
    others: still(of.others),
    tables: Object.fromEntries(Object.entries(of.tables).map(([id, table]) => [id, still(table)])),
  };
};

/** Whether whoever has the others' rights may do all that these allow, so that they may give them. */
export function isWithin(some: Rights, all: Rights): boolean {
  const reaches = (one: Reach, other: Reach) => one === 'none' || other === 'all' || isSame(one, other);
  const within = (one: TableRights, other: TableRights) =>
    recordRights.every((right) => reaches(one[right], other[right])) &&
    (!one.design || other.design) &&
    Object.entries(other.fields).every(
      ([id, limit]) => one.see === 'none' || one.fields[id] === 'hidden' || one.fields[id] === limit,
    );
  const names = new Set([...Object.keys(some.tables), ...Object.keys(all.tables)]);
  return (
    some.workspace.every((right) => has(all, right)) &&
    within(some.others, all.others) &&
    [...names].every((id) => within(rightsIn(some, id), rightsIn(all, id)))
  );
}

/** A condition as it counts in a model; where it reads what is gone, nothing meets it. */
export const standingReach = (model: Model, reach: Reach): Reach =>
  typeof reach === 'object' && conditionMissing(model, reach) !== undefined ? 'none' : reach;

/** The conditions in rights, each with its table. */
export const conditionsInRights = ({ tables }: Rights): { readonly table: TableId; readonly condition: Expression }[] =>
  Object.entries(tables).flatMap(([table, one]) =>
    recordRights.flatMap((right) => {
      const reach = one[right];
      return typeof reach === 'object' ? [{ table, condition: reach }] : [];
    }),
  );

/** Rights with their conditions and fields written anew. */
export function mapRights(
  of: Rights,
  condition: (table: TableId, one: Expression) => Expression,
  field: (id: string) => string,
): Rights {
  const mapped = (table: TableId, one: TableRights): TableRights => ({
    ...one,
    ...(Object.fromEntries(
      recordRights.map((right) => {
        const reach = one[right];
        return [right, typeof reach === 'object' ? condition(table, reach) : reach];
      }),
    ) as Record<RecordRight, Reach>),
    fields: Object.fromEntries(Object.entries(one.fields).map(([id, limit]) => [field(id), limit])),
  });
  return {
    ...of,
    tables: Object.fromEntries(Object.entries(of.tables).map(([id, one]) => [id, mapped(id, one)])),
  };
}
