import { isDeepStrictEqual } from 'node:util';
import { and, eq } from 'drizzle-orm';
import { printSummary } from '$core/summaries/summary';
import { pathIn } from '$core/summaries/asked';
import { blockOf, type BlockDescriptor } from '$core/summaries/blocks';
import { conditionMissing } from '$core/flow/dependencies';
import { findTable } from '$core/model/model';
import { newId } from '$core/types/identity';
import { partsOf } from '$core/types/part';
import type { Model } from '$core/types/model';
import type { Block, BlockKind, PageFilter, Summary } from '$core/types/summary';
import { has } from '$core/access/rights';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { notHere, refuse } from '../base/refusal';
import { groupPeople, summaries } from '../database/catalogue';
import { catalogueOn, type Client, type Pool } from '../database/pool';
import { changeAtOnce } from '../structure/plan';

/** A summary as one person has it. */
export interface HeldSummary {
  readonly summary: Summary;
  readonly personal: boolean;
}

/** Whether all that something reads is there for whoever sees this much, as far as it is there for anybody. */
const isSeen = (seen: Model, whole: Model, { table, formulas }: Reads): boolean =>
  (findTable(seen, table) !== undefined || findTable(whole, table) === undefined) &&
  formulas.every((one) => conditionMissing(seen, one) === undefined || conditionMissing(whole, one) !== undefined);

type Reads = NonNullable<ReturnType<BlockDescriptor<BlockKind>['reads']>>;

/** What is gone for everybody is said; what one may not see is not there. */
function isShown({ workspace, whole }: WorkspaceAccess, block: Block): boolean {
  const reads = blockOf(block.kind).reads(block, whole.model);
  return reads === null || isSeen(workspace.model, whole.model, reads);
}

const isFiltered = ({ workspace, whole }: WorkspaceAccess, { table, field }: PageFilter['fields'][number]): boolean =>
  isSeen(workspace.model, whole.model, { table, formulas: pathIn(whole.model, field) });

/** A summary without the blocks that whoever looks may not see. */
const seenSummary = (access: WorkspaceAccess, summary: Summary): Summary =>
  access.workspace.model === access.whole.model
    ? summary
    : {
        ...summary,
        blocks: summary.blocks.filter((block) => isShown(access, block)),
        filters: summary.filters.map((filter) => ({
          ...filter,
          fields: filter.fields.filter((field) => isFiltered(access, field)),
        })),
      };

/** The summaries that a person has: those of everybody or of their groups, then their own. */
export async function summariesOf(connection: Pool | Client, access: WorkspaceAccess): Promise<HeldSummary[]> {
  const { person, workspace } = access;
  const own = await catalogueOn(connection)
    .select({ summary: summaries.summary })
    .from(summaries)
    .where(and(eq(summaries.workspace, workspace.id), eq(summaries.person, person.id)))
    .orderBy(summaries.id);
  const shared = partsOf(access.whole.model, 'summary');
  const groups = shared.some((one) => one.groups.length > 0)
    ? await catalogueOn(connection)
        .select({ group: groupPeople.group })
        .from(groupPeople)
        .where(eq(groupPeople.person, access.viewer))
    : [];
  const mine = new Set(groups.map(({ group }) => group));
  // Whoever may share sees what there is to share.
  const isFor = (one: Summary) =>
    one.groups.length === 0 || has(access.rights, 'share') || one.groups.some((id) => mine.has(id));
  return [
    ...shared.filter(isFor).map((summary) => ({ summary: seenSummary(access, summary), personal: false })),
    ...own.map(({ summary }) => ({ summary: seenSummary(access, summary), personal: true })),
  ];
}

/** A summary that the person has, by id or name. */
export async function summaryNamed(
  connection: Pool | Client,
  access: WorkspaceAccess,
  name: string,
): Promise<HeldSummary> {
  const all = await summariesOf(connection, access);
  const found =
    all.find(({ summary }) => summary.id === name) ??
    all.find(({ summary }) => summary.label.toLowerCase() === name.toLowerCase());
  if (!found) throw notHere('summary');
  return found;
}

/** As programs read it. */
export const summaryOut = (access: WorkspaceAccess, { summary, personal }: HeldSummary) => {
  const { json, lost } = printSummary(access.workspace.model, summary);
  return { id: summary.id, personal, saved: json, lost };
};

async function requireFreeName(pool: Pool, access: WorkspaceAccess, summary: Summary): Promise<void> {
  const label = summary.label.toLowerCase();
  if (label === '') throw refuse(422, 'The summary has no name.', 'Write what people will read.', '/summary/label');
  const taken = (await summariesOf(pool, access)).some(
    (one) => one.summary.id !== summary.id && one.summary.label.toLowerCase() === label,
  );
  if (taken)
    throw refuse(
      409,
      `There is a summary called “${summary.label}” already.`,
      'Choose another name.',
      '/summary/label',
    );
}

/** Keeps a new summary. */
export async function addSummary(
  pool: Pool,
  access: WorkspaceAccess,
  given: Summary,
  personal: boolean,
): Promise<HeldSummary> {
  const summary = { ...given, id: newId('a') };
  await requireFreeName(pool, access, summary);
  if (personal) await keepOwn(pool, access, summary);
  else
    await changeAtOnce(pool, access, [
      {
        do: 'addPart',
        kind: 'summary',
        table: null,
        part: summary,
        at: partsOf(access.whole.model, 'summary').length,
      },
    ]);
  return { summary, personal };
}

const keepOwn = async (pool: Pool, { workspace, person }: WorkspaceAccess, summary: Summary): Promise<void> => {
  await catalogueOn(pool)
    .insert(summaries)
    .values({ id: summary.id, workspace: workspace.id, person: person.id, summary })
    .onConflictDoUpdate({ target: summaries.id, set: { summary }, setWhere: eq(summaries.person, person.id) });
};

/** What is taken from everybody is taken whole: of what somebody does not see nothing would be left. */
function requireWhole(access: WorkspaceAccess, { id, label }: Summary): void {
  const standing = partsOf(access.whole.model, 'summary').find((one) => one.id === id);
  if (standing && !isDeepStrictEqual(seenSummary(access, standing), standing))
    throw refuse(403, `“${label}” has blocks that you may not see.`, 'Make one of your own.');
}

/** Saves a summary anew, and gives it to everybody or takes it for the person alone. */
export async function saveSummary(
  pool: Pool,
  access: WorkspaceAccess,
  held: HeldSummary,
  summary: Summary,
  personal: boolean,
): Promise<void> {
  await requireFreeName(pool, access, summary);
  if (!held.personal && personal) {
    requireWhole(access, summary);
    await changeAtOnce(pool, access, [{ do: 'removePart', kind: 'summary', table: null, part: summary.id }]);
    await keepOwn(pool, access, summary);
  } else if (personal) await keepOwn(pool, access, summary);
  else if (held.personal) {
    const at = partsOf(access.whole.model, 'summary').length;
    await changeAtOnce(pool, access, [{ do: 'addPart', kind: 'summary', table: null, part: summary, at }]);
    await removeOwn(pool, access, summary.id);
  } else await changeAtOnce(pool, access, [{ do: 'changePart', kind: 'summary', table: null, part: summary }]);
}

const removeOwn = async (pool: Pool, { person }: WorkspaceAccess, id: string): Promise<void> => {
  await catalogueOn(pool)
    .delete(summaries)
    .where(and(eq(summaries.id, id), eq(summaries.person, person.id)));
};

/** Takes a summary away; what it showed stays. */
export const removeSummary = (
  pool: Pool,
  access: WorkspaceAccess,
  { summary, personal }: HeldSummary,
): Promise<void> =>
  personal
    ? removeOwn(pool, access, summary.id)
    : changeAtOnce(pool, access, [{ do: 'removePart', kind: 'summary', table: null, part: summary.id }]);
