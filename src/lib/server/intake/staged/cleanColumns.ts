import {
  isOfSplit,
  partsOf,
  type ColumnProfile,
  type Decisions,
  type FoundLink,
  type IntakeSheet,
  type SplitOff,
  type SplitPart,
} from '$core/intake/intake';
import { ColumnProfiler } from '$core/intake/columns/profile';
import { checkRowFormula } from '$core/intake/rowFormula';
import type { Expression } from '$core/types/expression';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import type { Client } from '../../database/pool';
import { Refusal } from '../../base/refusal';
import { cleanedSql } from './cleaning';
import { confirmDeclared, confirmLinks } from '../discovery/links';
import { standingMatches } from '../discovery/standing';
import { settleRows } from './leaveOut';
import { derive, type SplitAsked } from './derive';
import { linksToSplits } from './splitOff';
import { stagedName } from './stagedName';
import { raw, sql } from '../../base/sql';

const chunk = 5_000;

/** A formula over the rows of a sheet, or a refusal that says what is wrong and where. */
function rowFormula(sheet: IntakeSheet, column: number, source: string): Expression {
  const names = sheet.columns.map(({ name }) => name);
  const { expression, problems } = checkRowFormula(names, column, source);
  const [problem] = problems;
  if (problem) throw new Refusal(422, { ...problem, message: `${names[column] ?? 'Column'}: ${problem.message}` });
  if (!expression) throw new Error('a formula without problems is an expression');
  return expression;
}

/**
 * The sheets after a person's formulas and the rows they leave out: each column that one was written for, or taken from, is profiled anew on all
 * rows of what the formula gives, and links are looked for in it again. Everything else stays as it was found.
 */
export async function cleanColumns(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  links: readonly FoundLink[],
  decisions: Decisions,
): Promise<{ readonly sheets: readonly IntakeSheet[]; readonly links: readonly FoundLink[] }> {
  const settled = await settleRows(client, sheets, decisions);
  const { sheets: cleaned, touched } = await withFormulas(client, settled.sheets, decisions);
  for (const index of settled.changed)
    settled.sheets[index]?.columns.forEach((_, column) => touched.add(placeOf(index, column)));
  for (const [index, sheet] of cleaned.entries())
    if (sheet.derived && isAskedOtherwise(sheet.derived, askedOf(sheet.derived, index, decisions)))
      sheet.columns.forEach((_, column) => touched.add(placeOf(index, column)));
  if (touched.size === 0) return { sheets, links };
  const now = await splitAnew(client, access, cleaned, touched, decisions);
  const isTouched = ({ sheet, column }: { sheet: number; column: number }) => touched.has(placeOf(sheet, column));
  const kept = [
    ...links.filter(
      ({ from, to, also }) => (also !== undefined && !now[to.sheet]?.derived) || (!isTouched(from) && !isTouched(to)),
    ),
    // What the files declare, and what was split off, is linked whatever its values are now.
    ...(await confirmDeclared(client, now)).filter(({ from, to }) => isTouched(from) || isTouched(to)),
    ...linksToSplits(now).filter(({ from, to }) => isTouched(from) || isTouched(to)),
  ];
  // What has gone to a split, or tells its things, is linked to it above.
  const isSplit = ({ sheet, column }: { sheet: number; column: number }) =>
    now.some(({ derived }) => isOfSplit(derived, sheet, column));
  const found = await confirmLinks(client, now, ({ from, to }) => (isTouched(from) || isTouched(to)) && !isSplit(from));
  for (const [index, sheet] of now.entries()) {
    if (!sheet.columns.some((_, column) => isTouched({ sheet: index, column }))) continue;
    const standing = await standingMatches(client, access, sheet);
    now[index] = { ...sheet, standing };
  }
  const isKnown = ({ from: { sheet, column } }: FoundLink) =>
    kept.some(({ from }) => from.sheet === sheet && from.column === column);
  return { sheets: now, links: [...kept, ...found.filter((link) => !isKnown(link))] };
}

/** A column among all sheets. */
const placeOf = (sheet: number, column: number): string => `${sheet}.${column}`;

/** The sheets with the profiles of columns whose formula changed, and where these are. */
async function withFormulas(
  client: Client,
  sheets: readonly IntakeSheet[],
  decisions: Decisions,
): Promise<{ sheets: IntakeSheet[]; touched: Set<string> }> {
  const touched = new Set<string>();
  const now: IntakeSheet[] = [];
  for (const [index, sheet] of sheets.entries()) {
    const columns: ColumnProfile[] = [];
    for (const [column, profile] of sheet.columns.entries()) {
      const wished = decisions.columns[placeOf(index, column)]?.formula?.trim() ?? '';
      if (wished === (profile.cleaned?.by ?? '')) {
        columns.push(profile);
        continue;
      }
      touched.add(placeOf(index, column));
      const before = profile.cleaned?.before ?? profile;
      const formula = wished === '' ? null : rowFormula(sheet, column, wished);
      columns.push(
        formula
          ? { ...(await profileOf(client, sheet, column, formula)), cleaned: { by: wished, formula, before } }
          : before,
      );
    }
    now.push({ ...sheet, columns });
  }
  return { sheets: now, touched };
}

/** What a person wishes of a split: the value that is kept, and nothing of the parts that are skipped. */
function askedOf(
  { keeps: _keeps, reading: _reading, without: _without, ...split }: SplitOff,
  index: number,
  decisions: Decisions,
): SplitAsked {
  const { keeps } = decisions.tables[String(index)] ?? {};
  const { reading } = typeof keeps === 'number' ? (decisions.columns[placeOf(split.sheet, keeps)] ?? {}) : {};
  const isSkipped = ({ sheet, determinant }: SplitPart) =>
    decisions.tables[String(sheet)]?.skip === true || decisions.columns[placeOf(sheet, determinant)]?.as === 'skip';
  const parts = partsOf({ ...split, exceptions: [] });
  const without = parts.flatMap((part, at) => (isSkipped(part) ? [at] : []));
  return {
    ...split,
    ...(keeps === undefined ? {} : { keeps }),
    ...(reading ? { reading } : {}),
    // Without any part it is not made at all.
    ...(without.length > 0 && without.length < parts.length ? { without } : {}),
  };
}

const isAskedOtherwise = (before: SplitAsked, now: SplitAsked): boolean => {
  const how = ({ keeps, reading, without }: SplitAsked) =>
    JSON.stringify([keeps, reading?.decimal, reading?.dateOrder, without ?? []]);
  return how(before) !== how(now);
};

/** What was split off by columns that changed, or is wished otherwise, is made anew of what they say now. */
async function splitAnew(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  touched: ReadonlySet<string>,
  decisions: Decisions,
): Promise<IntakeSheet[]> {
  const now = [...sheets];
  for (const [index, { derived, staged, name }] of sheets.entries()) {
    if (!derived) continue;
    const asked = askedOf(derived, index, decisions);
    const isTouched =
      isAskedOtherwise(derived, asked) ||
      partsOf(derived).some(({ sheet, determinant, dependents }) =>
        [determinant, ...dependents].some((column) => column !== null && touched.has(placeOf(sheet, column))),
      );
    if (!isTouched) continue;
    await client.query(sql`drop table ${raw(stagedName(staged))}`);
    const made = await derive(client, now, asked, staged, 1);
    if (made) now[index] = { ...made, name, standing: await standingMatches(client, access, made) };
  }
  return now;
}

async function profileOf(
  client: Client,
  sheet: IntakeSheet,
  column: number,
  formula: Expression,
): Promise<ColumnProfile> {
  const { name = '' } = sheet.columns[column] ?? {};
  // What a formula gives as a number is one, whatever the column is called.
  const profiler = new ColumnProfiler(formula.type.is === 'text' ? name : '');
  await client.query(
    sql`
      declare cleaned no scroll cursor for
      select ${raw(cleanedSql('s', column, { formula }))} as text
      from ${raw(stagedName(sheet.staged))} s
    `,
  );
  for (;;) {
    const { rows } = await client.query<{ text: string | null }>(sql`fetch ${raw(String(chunk))} from cleaned`);
    if (rows.length === 0) break;
    for (const { text } of rows) profiler.take(text ?? '');
  }
  await client.query('close cleaned');
  return { ...profiler.profile(), name };
}
