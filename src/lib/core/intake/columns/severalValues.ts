/** A column whose cells hold several values each. */
export interface SeveralValues {
  readonly separator: string;
  /** The single values with their counts, most frequent first. */
  readonly values: readonly { readonly text: string; readonly count: number }[];
  /** How many cells hold more than one. */
  readonly cells: number;
}

const separators = [';', '\n', '|', ',', ' / ', '/', ' + ', ' & '] as const;
const mostWords = 4;
const longestPart = 60;

/**
 * The separator that takes a column's texts apart into values that come again, or null: parts are short, few of them
 * are met once only, and there are fewer of them than of whole texts or about as many. Sentences with commas are none.
 */
export function severalIn(texts: readonly { readonly text: string; readonly count: number }[]): SeveralValues | null {
  const all = texts.reduce((sum, { count }) => sum + count, 0);
  for (const separator of separators) {
    const split = texts.filter(({ text }) => text.includes(separator));
    const cells = split.reduce((sum, { count }) => sum + count, 0);
    if (split.length < 2 || cells < all * 0.1) continue;
    const parts = new Map<string, number>();
    let fits = true;
    for (const { text, count } of texts) {
      const own = text.split(separator).map((part) => part.trim());
      if (own.some((part) => part === '' || part.length > longestPart || part.split(/\s+/).length > mostWords)) {
        // An end with a separator too many is forgiven, a gap in the middle is not.
        if (
          own
            .slice(0, -1)
            .some((part) => part === '' || part.length > longestPart || part.split(/\s+/).length > mostWords)
        )
          fits = false;
      }
      for (const part of own) if (part !== '') parts.set(part, (parts.get(part) ?? 0) + count);
    }
    // Cells that always have the same number of parts hold parts of different kinds, such as a place and its village.
    const lengths = new Set(texts.map(({ text }) => text.split(separator).length));
    if (lengths.size === 1) continue;
    const again = [...parts.values()].filter((count) => count > 1).length;
    const numeric = [...parts.keys()].filter((part) => /^\d+(?:[.,]\d+)?$/.test(part)).length;
    // Numbers apart by a comma or a stroke are decimals and fractions, but for those with a blank behind each.
    const isSpaced = split.every(({ text }) => !new RegExp(`\\${separator}\\S`).test(text));
    if (
      !fits ||
      !recombines(split, separator) ||
      again < parts.size * 0.6 ||
      parts.size > texts.length * 1.5 + 2 ||
      ([',', '/'].includes(separator) && numeric > 0 && !(separator === ',' && isSpaced))
    )
      continue;
    return {
      separator,
      cells,
      values: [...parts]
        .map(([text, count]) => ({ text, count }))
        .sort((a, b) => b.count - a.count || (a.text < b.text ? -1 : 1)),
    };
  }
  return null;
}

/** Whether parts come again in other company: what always stands together is one name with a sign in it. */
function recombines(split: readonly { readonly text: string }[], separator: string): boolean {
  const company = new Map<string, Set<string>>();
  for (const { text } of split) {
    const own = text.split(separator).map((part) => part.trim());
    for (const part of own) {
      const known = company.get(part) ?? new Set<string>();
      company.set(part, known);
      for (const other of own) if (other !== part) known.add(other);
    }
  }
  const met = [...company.values()].filter(({ size }) => size > 1).length;
  return met >= company.size * 0.25;
}

/**
 * How a column is taken apart that a person takes for several values a cell: as was found, else by the first separator
 * that its texts have, else by semicolons. The single values are those of the texts that are known, most frequent
 * first.
 */
export function severalAsked(
  found: SeveralValues | undefined,
  texts: readonly { readonly text: string; readonly count: number }[],
): SeveralValues {
  if (found) return found;
  const separator = separators.find((one) => texts.some(({ text }) => text.includes(one))) ?? ';';
  const parts = new Map<string, number>();
  for (const { text, count } of texts)
    for (const part of text.split(separator).map((one) => one.trim()))
      if (part !== '') parts.set(part, (parts.get(part) ?? 0) + count);
  const values = [...parts]
    .map(([text, count]) => ({ text, count }))
    .sort((a, b) => b.count - a.count || (a.text < b.text ? -1 : 1));
  return { separator, cells: texts.filter(({ text }) => text.includes(separator)).length, values };
}
