import type { ColumnProfile, Decisions, FoundLink, IntakeSheet } from '$core/intake/intake';
import { ColumnProfiler } from '$core/intake/profile';
import { checkRowFormula } from '$core/intake/rowFormula';
import type { Expression } from '$core/formula/expression';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import type { Client } from '../../database/pool';
import { Refusal } from '../../base/refusal';
import { cleanedSql } from './cleaning';
import { confirmLinks, standingMatches } from '../discover';
import { derive } from './splitOff';
import { stagedName } from './stage';
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
 * The sheets after a person's formulas: each column that one was written for, or taken from, is profiled anew on all
 * rows of what the formula gives, and links are looked for in it again. Everything else stays as it was found.
 */
export async function cleanColumns(
  client: Client,
  access: WorkspaceAccess,
  sheets: readonly IntakeSheet[],
  links: readonly FoundLink[],
  decisions: Decisions,
): Promise<{ readonly sheets: readonly IntakeSheet[]; readonly links: readonly FoundLink[] }> {
  const touched = new Set<string>();
  const now: IntakeSheet[] = [];
  for (const [index, sheet] of sheets.entries()) {
    const columns: ColumnProfile[] = [];
    for (const [column, profile] of sheet.columns.entries()) {
      const wished = decisions.columns[`${index}.${column}`]?.formula?.trim() ?? '';
      if (wished === (profile.cleaned?.by ?? '')) {
        columns.push(profile);
        continue;
      }
      touched.add(`${index}.${column}`);
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
  if (touched.size === 0) return { sheets, links };
  // What was split off is made anew of what its columns say now.
  for (const [index, { derived, staged }] of now.entries()) {
    const source = derived && now[derived.sheet];
    if (
      !source ||
      ![derived.determinant, ...derived.dependents].some((column) => touched.has(`${derived.sheet}.${column}`))
    )
      continue;
    await client.query(sql`drop table ${raw(stagedName(staged))}`);
    const split = {
      determinant: derived.determinant,
      dependents: derived.dependents.map((column) => ({ column, exceptions: 0 })),
    };
    const made = await derive(client, source, derived.sheet, split, staged, 1);
    if (made) now[index] = { ...made, standing: await standingMatches(client, access, made) };
  }
  const isTouched = ({ sheet, column }: { sheet: number; column: number }) => touched.has(`${sheet}.${column}`);
  const kept = links.filter(({ from, to, also }) => also !== undefined || (!isTouched(from) && !isTouched(to)));
  const found = await confirmLinks(client, now, ({ from, to }) => isTouched(from) || isTouched(to));
  for (const [index, sheet] of now.entries()) {
    if (!sheet.columns.some((_, column) => touched.has(`${index}.${column}`))) continue;
    const standing = await standingMatches(client, access, sheet);
    now[index] = { ...sheet, standing };
  }
  return {
    sheets: now,
    links: [
      ...kept,
      ...found.filter(
        ({ from }) => !kept.some((one) => one.from.sheet === from.sheet && one.from.column === from.column),
      ),
    ],
  };
}

async function profileOf(
  client: Client,
  sheet: IntakeSheet,
  column: number,
  formula: Expression,
): Promise<ColumnProfile> {
  const profiler = new ColumnProfiler(sheet.columns[column]?.name ?? '');
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
  return profiler.profile();
}
