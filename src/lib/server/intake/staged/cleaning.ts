import { compileFormulas, noViewer } from '$core/formula/compiler';
import type { Expression } from '$core/types/expression';
import type { Cleaning, IntakeSheet } from '$core/intake/intake';
import { stagedModel } from '$core/intake/rowFormula';
import { quoteText } from '$core/base/sql';

/**
 * From so many spellings on they are looked up in a JSON value, which searches by halves, instead of one after the
 * other.
 */
const manySpellings = 12;

/**
 * SQL for the text of a staged row's column after its cleaning: the very text that is read then, blank where it stands
 * for nothing.
 */
export function cleanedSql(alias: string, column: number, clean: Cleaning | undefined): string {
  const staged = `${alias}.c${column}`;
  if (!clean) return staged;
  const { formula, blanks = [], unit, separator, replace = [] } = clean;
  const text = formula ? formulaText(formula, alias) : staged;
  const meant =
    blanks.length > 0 ? `case when ${text} in (${blanks.map(quoteText).join(', ')}) then null else ${text} end` : text;
  const unitless =
    unit === undefined
      ? meant
      : `regexp_replace(${meant}, ${quoteText(`[ \\t]*${unit.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')}$`)}, '')`;
  if (separator === undefined) return respelled(unitless, replace);
  // Several values go on apart by semicolons, which is how they are read.
  return `
    (
      select string_agg(${respelled('loom.trimmed(w)', replace)}, ';')
      from unnest(string_to_array(${unitless}, ${quoteText(separator)})) w
      where loom.trimmed(w) <> ''
    )
  `;
}

function respelled(text: string, replace: NonNullable<Cleaning['replace']>): string {
  if (replace.length === 0) return text;
  if (replace.length < manySpellings)
    return `case ${text} ${replace.map(({ from, to }) => `when ${quoteText(from)} then ${quoteText(to)}`).join(' ')} else ${text} end`;
  return `coalesce(${quoteText(JSON.stringify(Object.fromEntries(replace.map(({ from, to }) => [from, to]))))}::jsonb ->> ${text}, ${text})`;
}

/** What a formula over the row's texts gives, as a text that reads plainly. */
function formulaText(formula: Expression, alias: string): string {
  const { values } = compileFormulas([formula], {
    model: stagedModel(formula),
    nameOf: () => {
      throw new Error('a row of a sheet has no links');
    },
    today: 'current_date',
    zone: 'UTC',
    viewer: noViewer,
    root: alias,
    aggregates: 'each',
  });
  const [value = 'null'] = values;
  switch (formula.type.is) {
    case 'text':
      return `loom.trimmed(${value})`;
    case 'boolean':
      return `(case when ${value} then 'yes' when not ${value} then 'no' end)`;
    default:
      return `(${value})::text`;
  }
}

/**
 * SQL for what a column's text says before anybody decided anything: by its formula, blank where it stands for nothing,
 * misspellings joined if asked.
 */
export function meantSql(sheet: IntakeSheet, column: number, alias: string, spelled = false): string {
  const profile = sheet.columns[column];
  return cleanedSql(alias, column, {
    ...(profile?.cleaned ? { formula: profile.cleaned.formula } : {}),
    blanks: profile?.blankWords.map(({ text }) => text) ?? [],
    replace: (spelled && profile?.misspellings) || [],
  });
}
