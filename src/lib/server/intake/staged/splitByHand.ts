import { goneTo, isOfSplit, type FoundLink, type IntakeSheet } from '$core/intake/intake';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { notHere, refuse } from '../../base/refusal';
import { raw, sql } from '../../base/sql';
import type { Client } from '../../database/pool';
import { standingMatches } from '../discovery/standing';
import { derive } from './derive';
import { linksToSplits } from './splitOff';
import { stagedName } from './stagedName';

/** Columns that a person splits off into a table of their own. */
export interface SplitWish {
  readonly sheet: number;
  /** What tells the things; together with `beside`, where it does not alone. */
  readonly determinant: number;
  readonly beside?: number;
  readonly dependents: readonly number[];
}

/** Sheets and links with what a person splits off, behind them. */
export async function withSplit(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  links: readonly FoundLink[],
  wish: SplitWish,
): Promise<{ readonly sheets: IntakeSheet[]; readonly links: FoundLink[] }> {
  const { sheet: index, determinant, beside } = wish;
  const others = wish.dependents.filter((column) => column !== beside);
  const sheet = flatSheet(sheets, { ...wish, dependents: others });
  const place = sheets.length;
  const pair = beside === undefined ? {} : { pair: true as const };
  const dependents = beside === undefined ? others : [beside, ...others];
  const derived = await derive(
    client,
    sheets,
    { sheet: index, determinant, dependents, ...pair },
    `${sheet.staged}_h${place}`,
    1,
  );
  if (!derived || derived.rows === 0)
    throw refuse(422, 'The column is blank on every row, so it tells nothing.', 'Choose another column.');
  await client.query(sql`analyze ${raw(stagedName(derived.staged))}`);
  const byHand = {
    ...derived,
    ...(derived.derived ? { derived: { ...derived.derived, byHand: true as const } } : {}),
  };
  const now = [...sheets, { ...byHand, standing: await standingMatches(client, access, byHand) }];
  return {
    sheets: now,
    links: [
      ...links.filter(({ from }) => from.sheet !== index || from.column !== determinant),
      ...linksToSplits(now).filter(({ to }) => to.sheet === place),
    ],
  };
}

/** The sheet that columns are to be split off, or why they cannot be. */
function flatSheet(
  sheets: readonly IntakeSheet[],
  { sheet: index, determinant, beside, dependents }: SplitWish,
): IntakeSheet {
  const sheet = sheets[index];
  const columns = [determinant, ...(beside === undefined ? [] : [beside]), ...dependents];
  if (!sheet || sheet.derived || columns.some((column) => !sheet.columns[column])) throw notHere('sheet or column');
  const gone = sheets.find(
    ({ derived }) =>
      isOfSplit(derived, index, determinant) || columns.some((column) => goneTo(derived, index, column) !== undefined),
  );
  if (gone)
    throw refuse(
      422,
      `Some of these columns were split off as ${gone.name} already.`,
      `Leave ${gone.name} in the sheet first, or choose other columns.`,
    );
  if (new Set(columns).size < columns.length || dependents.length === 0)
    throw refuse(
      422,
      'A split needs a column that tells the things, and others that belong to them.',
      'Choose at least one other column.',
    );
  return sheet;
}
