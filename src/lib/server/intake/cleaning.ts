import type { Cleaning } from '$core/intake/intake';
import { quoteText } from '$core/sql';

/** SQL for a staged text after its cleaning: the very text that is read then, blank where it stands for nothing. */
export function cleanedSql(text: string, clean: Cleaning | undefined): string {
  if (!clean) return text;
  const { blanks = [], unit, separator, replace = [] } = clean;
  const words = (one: string) =>
    replace.length > 0 ? `case ${one} ${replace.map(({ from, to }) => `when ${quoteText(from)} then ${quoteText(to)}`).join(' ')} else ${one} end` : one;
  const meant = blanks.length > 0 ? `case when ${text} in (${blanks.map(quoteText).join(', ')}) then null else ${text} end` : text;
  if (unit !== undefined) return `regexp_replace(${meant}, ${quoteText(`[ \\t]*${unit.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&')}$`)}, '')`;
  if (separator === undefined) return words(meant);
  // Several values go on apart by semicolons, which is how they are read.
  return `(select string_agg(${words('loom.trimmed(w)')}, ';') from unnest(string_to_array(${meant}, ${quoteText(separator)})) w where loom.trimmed(w) <> '')`;
}
