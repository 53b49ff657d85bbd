import { and, desc, eq } from 'drizzle-orm';
import { checkCondition } from '$core/formula/checker';
import { compileCondition, noViewer } from '$core/formula/compiler';
import type { Expression } from '$core/types/expression';
import type { Table } from '$core/types/model';
import { standingCondition } from '$core/views/viewJson';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf, tableName } from '../access/workspaceState';
import { acceptedFindings, people } from '../database/catalogue';
import { catalogueOn, type Pool } from '../database/pool';
import { notHere, refuse } from '../base/refusal';
import type { Finding } from './finding';

/**
 * For which records of a finding somebody said that they are as they should be: all there ever are, those that meet a
 * condition, or certain ones.
 */
export interface AcceptedFinding {
  readonly id: number;
  /** The finding, as `findingsOf` names it. */
  readonly finding: string;
  /** What it said when it was accepted. */
  readonly words: string;
  readonly condition: Expression | null;
  readonly records: readonly number[] | null;
  readonly reason: string;
  readonly by: string;
  readonly at: string;
}

/** One acceptance as it is sent: neither a condition nor records means the finding as a whole. */
export interface Accepting {
  readonly finding: string;
  readonly condition?: string;
  readonly records?: readonly number[];
  readonly reason: string;
}

/** Everything of a table that was accepted, the latest first. */
export const acceptedOf = (pool: Pool, access: WorkspaceAccess, table: Table): Promise<AcceptedFinding[]> =>
  catalogueOn(pool)
    .select({
      id: acceptedFindings.id,
      finding: acceptedFindings.finding,
      words: acceptedFindings.words,
      condition: acceptedFindings.condition,
      records: acceptedFindings.records,
      reason: acceptedFindings.reason,
      by: people.name,
      at: acceptedFindings.at,
    })
    .from(acceptedFindings)
    .innerJoin(people, eq(people.id, acceptedFindings.person))
    .where(and(eq(acceptedFindings.workspace, access.workspace.id), eq(acceptedFindings.tableId, table.id)))
    .orderBy(desc(acceptedFindings.id));

/** What is left of a finding beside what was accepted of it. */
export interface Left {
  /** Accepted as a whole: it is none any more. */
  readonly whole: boolean;
  /** A condition on `r`, to stand behind `and`: its record was not accepted. */
  readonly where: string;
  /** The formula of a finding's records without those that were accepted by a condition. */
  readonly filter: (formula: string) => string;
  /** Records that were accepted one by one; no formula can leave them out. */
  readonly records: number;
}

/** Says of each finding of a table what of it was accepted. A condition that can no longer be read accepts nothing. */
export function leftBy(
  access: WorkspaceAccess,
  table: Table,
  accepted: readonly AcceptedFinding[],
): (finding: string) => Left {
  const { workspace } = access;
  return (finding) => {
    const about = accepted.filter((one) => one.finding === finding);
    const records = [...new Set(about.flatMap((one) => one.records ?? []))];
    const wheres = records.length > 0 ? [`r._id <> all ('{${records.join(',')}}'::bigint[])`] : [];
    const conditions: string[] = [];
    for (const { condition } of about) {
      const printed = condition && standingCondition(workspace.model, table, condition);
      if (!condition || !printed) continue;
      conditions.push(printed);
      const { day, zone } = homeOf(workspace, table);
      // Within a subquery of its own, as its joins have aliases that the finding's have, too.
      const { where, joins } = compileCondition(condition, {
        model: workspace.model,
        nameOf: (other) => tableName(workspace, other),
        today: `'${day}'::date`,
        zone,
        viewer: noViewer,
        root: 'a',
        aggregates: 'grouped',
      });
      wheres.push(`r._id not in (select a._id from ${tableName(workspace, table)} a ${joins} where ${where})`);
    }
    return {
      whole: about.some(({ condition, records: some }) => condition === null && some === null),
      where: wheres.map((where) => ` and ${where}`).join(''),
      filter: (formula) =>
        [`(${formula})`, ...conditions.map((condition) => `coalesce(not (${condition}), true)`)].join(' and '),
      records: records.length,
    };
  };
}

/** Accepts a finding; refused where there is none such, or where it is not about records that could be told apart. */
export async function acceptFinding(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  found: readonly Finding[],
  sent: Accepting,
): Promise<number> {
  const finding = found.find(({ id }) => id === sent.finding);
  if (!finding)
    throw refuse(
      404,
      'There is no such finding now.',
      'Read the findings again; somebody may have fixed or accepted it.',
      '/finding',
    );
  const part = sent.condition !== undefined || sent.records !== undefined;
  if (part && !finding.byRecord)
    throw refuse(
      422,
      `${finding.label}: this finding is not about single records.`,
      'Accept it as a whole.',
      sent.records ? '/records' : '/condition',
    );
  let condition: Expression | null = null;
  if (sent.condition !== undefined) {
    const { expression, problems } = checkCondition(access.workspace.model, table.id, sent.condition);
    if (!expression)
      throw refuse(422, problems[0]?.message ?? 'The condition cannot be read.', problems[0]?.fix, '/condition');
    condition = expression;
  }
  const [made] = await catalogueOn(pool)
    .insert(acceptedFindings)
    .values({
      workspace: access.workspace.id,
      tableId: table.id,
      finding: finding.id,
      words: `${finding.label}: ${finding.words}${finding.part === null ? '' : `: ${finding.part}`}`,
      condition,
      records: sent.records ? [...new Set(sent.records)] : null,
      reason: sent.reason,
      person: access.person.id,
    })
    .returning({ id: acceptedFindings.id });
  return made?.id ?? 0;
}

/** Takes an acceptance away; what it covered is found again. */
export async function unaccept(pool: Pool, access: WorkspaceAccess, table: Table, id: number): Promise<void> {
  const gone = await catalogueOn(pool)
    .delete(acceptedFindings)
    .where(
      and(
        eq(acceptedFindings.workspace, access.workspace.id),
        eq(acceptedFindings.tableId, table.id),
        eq(acceptedFindings.id, id),
      ),
    )
    .returning({ id: acceptedFindings.id });
  if (gone.length === 0) throw notHere('accepted finding');
}
