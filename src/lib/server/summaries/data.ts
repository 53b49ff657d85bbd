import pLimit from 'p-limit';
import { asks, blockOf, mostOf } from '$core/summaries/blocks';
import { measureLabel, measureType } from '$core/summaries/asked';
import { shortened, type AskedData } from '$core/summaries/data';
import { allOf, chosenIn, inPeriod, movedBack, ofGroup, type Choices } from '$core/summaries/narrowing';
import { againstWords, lyingOn, periodWords } from '$core/summaries/periods';
import { shownType } from '$core/formula/shownType';
import { fieldOf, tableOf } from '$core/model/model';
import { partLabel, type LinkedWith } from '$core/query/query';
import type { Problem } from '$core/base/problem';
import type { Expression } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { partsOf } from '$core/types/part';
import type { AskedBlock, Block, ShownAs, Summary } from '$core/types/summary';
import type { SortPart } from '$core/types/view';
import { shownColumns, viewOfAll } from '$core/views/view';
import { standingView } from '$core/views/viewJson';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal, notHere, refuse } from '../base/refusal';
import type { Pool } from '../database/pool';
import { requireBearable } from '../query/cost';
import { countRecords, readRecords } from '../query/read';
import type { RecordOut } from '../query/recordJson';
import { readTotals } from '../query/totals';

/** Records as rows of a small table. */
export interface RecordRows {
  /** Where they are: the keys of their workspace and table. */
  readonly home: string;
  readonly table: string;
  readonly columns: readonly (ShownAs & { readonly key: string })[];
  readonly records: readonly RecordOut[];
  /** Of all, more of which there may be than are given. */
  readonly count: number;
}

/** Records of a view as a block lists them. */
interface ListData extends RecordRows {
  readonly unfiltered: readonly string[];
}

/** What a block shows, or why it cannot. */
export interface BlockData {
  readonly id: string;
  readonly asked?: AskedData;
  readonly list?: ListData;
  readonly problem?: Problem;
}

/** So many blocks are worked out at once; the others wait, so that one page never takes all connections. */
const atOnce = 2;
const mostColumns = 8;

/** What the page's choices say of a table, and which of them say nothing of it. */
function chosen(
  { workspace: { model } }: WorkspaceAccess,
  table: string,
  { filters }: Pick<Summary, 'filters'>,
  choices: Choices,
): { readonly condition: Expression | null; readonly unfiltered: readonly string[] } {
  const conditions: (Expression | null)[] = [];
  const unfiltered: string[] = [];
  for (const filter of filters) {
    const choice = choices[filter.id];
    if (!choice) continue;
    const said = chosenIn(model, table, filter, choice);
    if (said === null) unfiltered.push(filter.label);
    else if (said.ok) conditions.push(said.value);
    else throw new Refusal(422, { ...said.problem, at: `?/filters/${filter.id}` });
  }
  return { condition: allOf(conditions), unfiltered };
}

/** The measures of a block, worked out. */
async function askedData(
  pool: Pool,
  access: WorkspaceAccess,
  page: Pick<Summary, 'filters'>,
  block: AskedBlock,
  choices: Choices,
): Promise<AskedData> {
  const { model, day } = access.workspace;
  const table = tableOf(model, block.table);
  const { condition, unfiltered } = chosen(access, table.id, page, choices);
  const filter = allOf([block.where, condition]);
  const costly = [filter, ...block.measures.flatMap(({ of, where }) => [of, where])];
  const formulas = costly.filter((one): one is Expression => one !== null);
  // What is not yes or no costs as much to work out as to compare.
  if (formulas.length > 0)
    await requireBearable(
      pool,
      access,
      table,
      formulas.map((one) =>
        one.type.is === 'boolean' ? one : { do: 'call', name: 'is null', args: [one], type: { is: 'boolean' } },
      ),
    );
  const lying = block.period && lyingOn(block.period, day, block.groups);
  const found = await readTotals(pool, access, table, {
    filter,
    groups: block.groups,
    totals: block.measures,
    period: block.period && lying ? { field: block.period.field, lying } : null,
    order: block.order,
  });
  const whole = { count: found.count, totals: found.totals };
  return {
    groups: block.groups.map((part) => ({
      label: partLabel(model, part),
      type: shownType(model, fieldOf(model, part.field).field),
      ...(part.by === undefined ? {} : { by: part.by }),
    })),
    measures: block.measures.map((measure) => ({
      label: measureLabel(model, measure),
      type: measureType(model, measure),
    })),
    whole: found.against ? { ...whole, against: found.against } : whole,
    rows: shortened(found.groups, mostOf(block), block.measures, found.cut),
    cut: found.cut,
    period: lying,
    periodWords: block.period ? periodWords(block.period) : '',
    againstWords: block.period ? againstWords(block.period) : '',
    unfiltered,
  };
}

async function listData(
  pool: Pool,
  access: WorkspaceAccess,
  page: Pick<Summary, 'filters'>,
  block: Block & { kind: 'list' },
  choices: Choices,
): Promise<ListData> {
  const { model } = access.workspace;
  const table = tableOf(model, block.table);
  const held = partsOf(table, 'view').find(({ id }) => id === block.view) ?? viewOfAll();
  const view = standingView(model, table, held);
  const { condition, unfiltered } = chosen(access, table.id, page, choices);
  const filter = allOf([view.filter, condition]);
  const fields = shownColumns(table, view).map(({ field }) => field);
  // A record that stands under each of its values is listed once.
  const sort = [...view.groups, ...view.sort].filter(({ by }) => by !== 'each');
  return { ...(await rowsOf(pool, access, table, fields, { filter, sort, limit: block.most })), unfiltered };
}

/** The first records of a table, with what is shown of each, and how many there are. */
async function rowsOf(
  pool: Pool,
  access: WorkspaceAccess,
  table: Table,
  all: readonly Field[],
  asked: {
    readonly filter: Expression | null;
    readonly sort: readonly SortPart[];
    readonly limit: number;
    readonly of?: LinkedWith | null;
  },
): Promise<RecordRows> {
  const { workspace } = access;
  const { filter, of } = asked;
  const shown = all.slice(0, mostColumns);
  if (filter) await requireBearable(pool, access, table, [filter]);
  const query = { ...asked, fields: shown.map(({ id }) => id), after: null };
  const { records } = await readRecords(pool, access, table, query);
  return {
    home: table.home ?? workspace.key,
    table: table.key,
    columns: shown.map((field) => ({ key: field.key, label: field.label, type: shownType(workspace.model, field) })),
    records,
    count: await countRecords(pool, access, table, filter, of),
  };
}

/** What one block shows; what it uses and is gone is said in its place. */
async function blockData(
  pool: Pool,
  access: WorkspaceAccess,
  page: Pick<Summary, 'filters'>,
  block: Block,
  choices: Choices,
): Promise<BlockData> {
  const { id } = block;
  const lost = blockOf(block.kind).lost(access.workspace.model, block);
  if (lost)
    return { id, problem: { message: `This cannot be shown: ${lost}.`, fix: 'Change the block, or take it away.' } };
  try {
    if (asks(block)) return { id, asked: await askedData(pool, access, page, block, choices) };
    return block.kind === 'list' ? { id, list: await listData(pool, access, page, block, choices) } : { id };
  } catch (error) {
    if (error instanceof Refusal) return { id, problem: error.problem };
    throw error;
  }
}

/** What the blocks of a page show with what was chosen in its filters. */
export async function pageData(
  pool: Pool,
  access: WorkspaceAccess,
  page: Pick<Summary, 'filters' | 'blocks'>,
  choices: Choices,
): Promise<BlockData[]> {
  const limit = pLimit(atOnce);
  return Promise.all(page.blocks.map((block) => limit(() => blockData(pool, access, page, block, choices))));
}

/** More than anybody reads through beside a chart; the table has them all. */
const mostBehind = 200;

/** The records behind a row: those of its groups, of the period or of what that is held against. */
export async function recordsBehind(
  pool: Pool,
  access: WorkspaceAccess,
  page: Pick<Summary, 'filters'>,
  block: Block,
  asked: { readonly values: readonly unknown[]; readonly against: boolean; readonly choices: Choices },
): Promise<RecordRows> {
  if (!asks(block)) throw notHere('block with groups');
  const { model, day } = access.workspace;
  const lost = blockOf(block.kind).lost(model, block);
  if (lost) throw refuse(409, `This cannot be shown: ${lost}.`, 'Change the block, or take it away.');
  const table = tableOf(model, block.table);
  const lying = block.period && lyingOn(block.period, day, block.groups);
  const conditions: (Expression | null)[] = [
    block.where,
    chosen(access, table.id, page, asked.choices).condition,
    inPeriod(model, block, lying, asked.against),
  ];
  let of: LinkedWith | null = null;
  for (const [index, value] of asked.values.slice(0, block.groups.length).entries()) {
    const part = block.groups[index];
    if (!part) break;
    const read = ofGroup(model, part, value, movedBack(lying, block, part, asked.against));
    if (!read.ok) throw new Refusal(422, { ...read.problem, at: '?/values' });
    conditions.push(read.value.condition);
    of = read.value.of ?? of;
  }
  const filter = allOf(conditions);
  const title = table.fields.find(({ id }) => id === table.title);
  const grouped = [...block.groups, ...(block.period ? [block.period.field] : [])]
    .filter(({ via = [] }) => via.length === 0)
    .map(({ field }) => fieldOf(model, field).field);
  const measured = block.measures.flatMap(({ of: one }) =>
    one?.do === 'field' && one.through.length === 0 ? [fieldOf(model, one.field).field] : [],
  );
  const fields = [...new Set([...(title ? [title] : []), ...grouped, ...measured])];
  return rowsOf(pool, access, table, fields, { filter, sort: [], limit: mostBehind, of });
}
