import { compileCondition, noViewer } from '$core/formula/compiler';
import { partsOf, type Expression } from '$core/types/expression';
import { printFormula } from '$core/formula/printer';
import { dependenciesOf } from '$core/flow/dependencies';
import type { Field } from '$core/types/field';
import type { FieldId } from '$core/types/identity';
import { fieldOf, isWritten, findField } from '$core/model/model';
import type { Model, Table, TableRule } from '$core/types/model';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess, viewerOf } from '../access/workspaceAccess';
import { homeOf, tableName, tableSql } from '../access/workspaceState';
import type { Client } from '../database/pool';
import { refuse } from '../base/refusal';
import { titleSql } from '../query/selection';
import { raw, sql } from '../base/sql';

const ruleName = (rule: Pick<TableRule, 'id'>): string => quoteIdentifier(`${rule.id}_rule`);

/**
 * Whether PostgreSQL itself can hold a rule to every record: it reads only what is entered in the record, which is the
 * same whenever it is asked. All others are looked at when a record is written.
 */
export function isHeldByDatabase(model: Model, rule: TableRule): boolean {
  if (rule.kind === 'unique') return true;
  if (rule.fromNow) return false;
  const settled = [...partsOf(rule.condition)].every(
    (part) =>
      part.do !== 'aggregate' &&
      part.type.is !== 'timestamp' &&
      !(part.do === 'call' && ['today', 'name_of', 'email_of'].includes(part.name)),
  );
  return (
    settled &&
    dependenciesOf(model, rule.condition).on.every(
      ({ path, field }) => path.length === 0 && isWritten(fieldOf(model, field).field),
    )
  );
}

type Named = (table: Table) => string;

/** The constraint that holds a rule; nothing for rules that are looked at when a record is written. */
export function ruleStatement(model: Model, table: Table, rule: TableRule, named: Named): string[] {
  if (!isHeldByDatabase(model, rule)) return [];
  const alter = `alter table ${named(table)} add constraint ${ruleName(rule)}`;
  if (rule.kind === 'unique')
    return [`${alter} unique (${rule.fields.map((id) => quoteIdentifier(fieldOf(model, id).field.key)).join(', ')})`];
  return [`${alter} check (${conditionOnOwn(model, rule.condition, quoteIdentifier(table.key))})`];
}

export const withoutRule = (model: Model, table: Table, rule: TableRule, named: Named): string[] =>
  isHeldByDatabase(model, rule) ? [`alter table ${named(table)} drop constraint if exists ${ruleName(rule)}`] : [];

/** A condition over one record's own fields, with this name before each column. */
export function conditionOnOwn(model: Model, condition: Expression, root: string): string {
  const { where, joins } = compileCondition(condition, {
    model,
    nameOf: () => '',
    today: 'null::date',
    zone: 'UTC',
    viewer: noViewer,
    root,
    aggregates: 'each',
  });
  if (joins.trim() !== '') throw new Error('a rule held by the database reads other records');
  return where;
}

/** Whether a condition reads one of the fields that were written; null stands for a new record's all. */
const reads = (model: Model, condition: Expression, written: ReadonlySet<FieldId> | null): boolean =>
  written === null ||
  dependenciesOf(model, condition).on.some(({ path, field }) => written.has(path[0] ?? field) || written.has(field));

/** Which rules have to be looked at after these fields of a table's records were written. */
const rulesConcerned = (
  model: Model,
  table: Table,
  written: ReadonlySet<FieldId> | null,
): (TableRule & { kind: 'holds' })[] =>
  (table.rules ?? []).filter(
    (rule): rule is TableRule & { kind: 'holds' } =>
      rule.kind === 'holds' && !isHeldByDatabase(model, rule) && reads(model, rule.condition, written),
  );

/** Whether records of a table are held to anything that is looked at when they are written. */
export const hasRulesLookedAt = (model: Model, table: Table): boolean =>
  rulesConcerned(model, table, null).length > 0 ||
  table.fields.some(({ type }) => type.kind === 'link' && type.candidates !== undefined);

interface Condition {
  readonly broken: { readonly where: string; readonly joins: string };
  readonly message: string;
  readonly fix: string;
}

/** What written records of a table are held to here: rules, and the candidate limits of links. */
function conditionsOf(access: WorkspaceAccess, table: Table, written: ReadonlySet<FieldId> | null): Condition[] {
  const { model } = access.workspace;
  const rules = rulesConcerned(model, table, written).map((rule) => ({
    broken: brokenBy(access, table, rule),
    message: rule.message,
    fix: 'Change the record so that the rule holds.',
  }));
  const limits = table.fields.flatMap((field): Condition[] => {
    if (field.type.kind !== 'link' || !field.type.candidates || !reads(model, field.type.candidates, written))
      return [];
    const { where, joins } = conditionOf(access, table, field.type.candidates);
    return [
      {
        broken: { where: `r.${quoteIdentifier(field.key)} is not null and (${where}) is not true`, joins },
        message: `“${field.label}” is none of those that can be chosen here.`,
        fix: isLimitTold(access, field)
          ? `It is limited to records for which ${printFormula(model, field.type.candidates)}.`
          : 'Choose one from its list.',
      },
    ];
  });
  return [...rules, ...limits];
}

/** Whether somebody sees all that limits the candidates of a link, so that the limit may be told. */
function isLimitTold({ sight }: WorkspaceAccess, { id }: Field): boolean {
  const type = findField(sight, id)?.field.type;
  return type?.kind === 'link' && type.candidates !== undefined;
}

/** A record that was written, and what it breaks. */
export interface BrokenRule {
  readonly id: number;
  readonly title: string;
  readonly message: string;
  readonly fix: string;
}

/** Refuses when a record that was written breaks what the database does not hold it to by itself. */
export async function checkRules(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  written: ReadonlySet<FieldId> | null,
): Promise<void> {
  const [first] = await brokenRules(client, access, table, ids, written, 1);
  if (first) throw refuse(422, `${first.title}: ${first.message}`, first.fix);
}

/**
 * The records among these that break what the database does not hold them to, with what they break, up to `most` for
 * each rule.
 */
export async function brokenRules(
  client: Client,
  access: WorkspaceAccess,
  table: Table,
  ids: readonly number[],
  written: ReadonlySet<FieldId> | null,
  most: number,
): Promise<BrokenRule[]> {
  if (ids.length === 0) return [];
  const found: BrokenRule[] = [];
  for (const { broken, message, fix } of conditionsOf(access, table, written)) {
    const { rows } = await client.query<{ id: number; title: string }>(
      sql`
        select r._id as id, ${raw(titleSql(access, table, 'r'))} as title
        from ${tableSql(access.workspace, table)} r ${raw(broken.joins)}
        where r._id = any(${ids}) and ${raw(broken.where)}
        order by r._id limit ${most}
      `,
    );
    for (const row of rows) found.push({ ...row, message, fix });
  }
  return found;
}

/** A condition over a table's records on alias `r`, with the day and the zone of where the table lives. */
function conditionOf(access: WorkspaceAccess, table: Table, condition: Expression): { where: string; joins: string } {
  const { workspace } = access;
  const { day, zone } = homeOf(workspace, table);
  return compileCondition(condition, {
    model: workspace.model,
    nameOf: (other) => tableName(workspace, other),
    today: `'${day}'::date`,
    zone,
    viewer: viewerOf(access),
    root: 'r',
    aggregates: 'each',
  });
}

/** The condition of records that break a rule, on alias `r`. A rule whose condition is blank is not broken. */
export function brokenBy(
  access: WorkspaceAccess,
  table: Table,
  rule: TableRule & { kind: 'holds' },
): { where: string; joins: string } {
  const { where, joins } = conditionOf(access, table, rule.condition);
  return { where: `not (${where})`, joins };
}
