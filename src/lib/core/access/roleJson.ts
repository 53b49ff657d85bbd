import { bad, good, type Result } from '../base/problem';
import { checkCondition } from '../formula/checker';
import { isShown, fieldNamed, ownTables, tableNamed } from '../model/model';
import type { Model, Table } from '../types/model';
import {
  recordRights,
  workspaceRights,
  type FieldLimit,
  type Reach,
  type RecordRight,
  type Role,
  type TableRights,
  type WorkspaceRight,
} from '../types/role';
import { standingCondition } from '../views/viewJson';
import { builtInRoles, has, noRights } from './rights';

/** Which records, as it is written: all, none, or a formula that they meet. */
export type ReachJson = boolean | string;

export type TableRightsJson = Readonly<Record<RecordRight, ReachJson>> & {
  readonly design: boolean;
  /** By the keys of fields. */
  readonly fields: Readonly<Record<string, FieldLimit>>;
};

/** A role as programs write and read it: tables and fields by key, conditions as formulas. */
export interface RoleJson {
  readonly label: string;
  readonly description: string;
  readonly workspace: readonly WorkspaceRight[];
  /** In the tables that are not named, those to come included. */
  readonly others: Omit<TableRightsJson, 'fields'>;
  readonly tables: Readonly<Record<string, TableRightsJson>>;
}

/** A role in writing, and in words what of it reads fields that are gone: nothing meets that any more. */
export function roleJson(model: Model, role: Role): { readonly role: RoleJson; readonly lost: readonly string[] } {
  const lost: string[] = [];
  const { fields: _, ...others } = rightsJson(model, null, role.others, lost);
  // In the order of the tables: that of a value in the catalogue is none.
  const tables = model.tables.flatMap((table) => {
    const rights = role.tables[table.id];
    return rights ? [[table.key, rightsJson(model, table, rights, lost)] as const] : [];
  });
  const { label, description, workspace } = role;
  return { role: { label, description, workspace, others, tables: Object.fromEntries(tables) }, lost };
}

function rightsJson(model: Model, table: Table | null, rights: TableRights, lost: string[]): TableRightsJson {
  const written = (right: RecordRight): ReachJson => {
    const reach = rights[right];
    if (typeof reach !== 'object') return reach === 'all';
    const formula = table && standingCondition(model, table, reach);
    if (formula) return formula;
    lost.push(`whom it lets ${right} records of ${table?.label ?? 'a table'} used a field that was deleted`);
    return false;
  };
  const fields = (table?.fields ?? []).flatMap(({ id, key }) => {
    const limit = rights.fields[id];
    return limit === undefined ? [] : [[key, limit] as const];
  });
  return {
    ...(Object.fromEntries(recordRights.map((right) => [right, written(right)])) as Record<RecordRight, ReachJson>),
    design: rights.design,
    fields: Object.fromEntries(fields),
  };
}

/** Reads what `roleJson` wrote; what is left out of a table's rights is not allowed. */
export function readRole(model: Model, id: string, json: RoleJson): Result<Role> {
  const tables: Record<string, TableRights> = {};
  for (const [name, sent] of Object.entries(json.tables)) {
    const table = tableNamed(model, name);
    if (!table || table.home !== undefined)
      return bad(`There is no table “${name}” here.`, 'Use its key.', `/tables/${name}`);
    const rights = readRights(model, table, sent, `/tables/${name}`);
    if (!rights.ok) return rights;
    tables[table.id] = rights.value;
  }
  const others = readRights(model, null, { ...json.others, fields: {} }, '/others');
  if (!others.ok) return others;
  const workspace = workspaceRights.filter((right) => json.workspace.includes(right));
  return good({ id, label: json.label.trim(), description: json.description, workspace, others: others.value, tables });
}

function readRights(model: Model, table: Table | null, json: TableRightsJson, at: string): Result<TableRights> {
  const reaches: Partial<Record<RecordRight, Reach>> = {};
  for (const right of recordRights) {
    const sent = json[right];
    const place = `${at}/${right}`;
    if (typeof sent !== 'string') reaches[right] = sent ? 'all' : 'none';
    else if (!table) return bad('Only a table that is named can have a condition.', 'Name the table.', place);
    else {
      const { expression, problems } = checkCondition(model, table.id, sent);
      if (!expression) return bad(problems[0]?.message ?? 'This is no condition.', problems[0]?.fix, place);
      reaches[right] = expression;
    }
  }
  const fields: Record<string, FieldLimit> = {};
  for (const [name, limit] of Object.entries(json.fields)) {
    const field = table && fieldNamed(table, name);
    if (!field) return bad(`There is no field “${name}” here.`, 'Use its key.', `${at}/fields/${name}`);
    fields[field.id] = limit;
  }
  return good({ ...noRights, ...reaches, design: json.design, fields });
}

/**
 * Whether a role can be. Whoever changes a table's structure, brings data in, manages routines, or says who sees what,
 * works on all of it: a role that hides some of it cannot allow that.
 */
export function checkRole(model: Model, role: Role): Result<true> {
  if (builtInRoles.some(({ label }) => label.toLowerCase() === role.label.toLowerCase()))
    return bad(`Every workspace has a role called “${role.label}”.`, 'Choose another name.', '/label');
  const all: [Table | null, TableRights, string][] = [
    [null, role.others, '/others'],
    ...ownTables(model).flatMap((table): [Table, TableRights, string][] => {
      const rights = role.tables[table.id];
      return rights ? [[table, rights, `/tables/${table.key}`]] : [];
    }),
  ];
  for (const [table, rights, at] of all) {
    const what = table ? table.label : 'other tables';
    const hidden = table?.fields.find(({ id }) => rights.fields[id] === 'hidden');
    const isCut = rights.see !== 'all' || hidden !== undefined;
    const why = hidden ? `“${hidden.label}” is hidden` : 'not all records are seen';
    if (rights.design && isCut)
      return bad(`${what}: ${why}, so its structure cannot be changed.`, 'Take one of the two back.', `${at}/design`);
    for (const right of ['bringIn', 'design', 'people', 'routines'] as const)
      if (has(role, right) && isCut)
        return bad(
          `${what}: ${why}, so a role that ${wholeWords[right]} cannot have it so.`,
          'Take one of the two back.',
          '/workspace',
        );
    if (rights.see === 'none' && recordRights.some((right) => rights[right] !== 'none'))
      return bad(`${what}: records that are not seen cannot be entered.`, 'Let them be seen, too.', `${at}/see`);
    const title = table?.fields.find(({ id }) => id === table.title);
    if (title && rights.see !== 'none' && rights.fields[title.id] === 'hidden' && isShown(title))
      return bad(
        `${what}: “${title.label}” names the records, so it cannot be hidden.`,
        'Choose another title field, or hide the table.',
        `${at}/fields/${title.key}`,
      );
  }
  return good(true);
}

/** Rights that go with seeing everything, in words behind “a role that”. */
const wholeWords = {
  design: 'makes tables',
  bringIn: 'brings data in',
  people: 'manages people',
  routines: 'manages routines',
} as const;

/** What one may do in a workspace, in words. */
export const rightWords: Readonly<Record<WorkspaceRight, string>> = {
  design: 'Make and change tables',
  bringIn: 'Bring data in',
  takeOut: 'Take data out',
  share: 'Share views and addresses',
  routines: 'Manage routines',
  people: 'Manage people and roles',
};
