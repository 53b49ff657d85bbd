import { distance } from 'fastest-levenshtein';

/** A spelling that is probably another value misspelt. */
export interface Misspelling {
  readonly from: string;
  readonly to: string;
  readonly count: number;
}

interface Counted {
  readonly text: string;
  readonly count: number;
}

/** Letters and digits alone, in small letters without marks: what two spellings of one thing have in common. */
export const bareSpelling = (text: string): string =>
  text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/ß/g, 'ss')
    .replace(/[^\p{L}\p{N}]/gu, '');

const mostCompared = 400;

/**
 * Near-duplicate spellings among a column's values: alike but for case, blanks, signs and marks, or a typing error away
 * from a value that is met at least four times as often. Codes are left alone: in them every sign counts.
 */
export function misspellingsIn(values: readonly Counted[]): Misspelling[] {
  const found: Misspelling[] = [];
  const byBare = new Map<string, Counted[]>();
  for (const one of values) {
    const bare = bareSpelling(one.text);
    if (bare !== '') byBare.set(bare, [...(byBare.get(bare) ?? []), one]);
  }
  const heads: { readonly bare: string; readonly head: Counted }[] = [];
  for (const [bare, alike] of byBare) {
    const [head, ...others] = alike.toSorted((a, b) => b.count - a.count || (a.text < b.text ? -1 : 1));
    if (!head) continue;
    for (const { text, count } of others) found.push({ from: text, to: head.text, count });
    heads.push({ bare, head });
  }
  if (heads.length > mostCompared) return found;
  for (const { bare, head } of heads) {
    if (/\d/.test(bare) || bare.length < 4) continue;
    const close = heads
      .filter(
        (other) =>
          other.head.count >= head.count * 4 &&
          !/\d/.test(other.bare) &&
          Math.abs(other.bare.length - bare.length) <= 2,
      )
      .map((other) => ({ to: other.head, away: distance(bare, other.bare) }))
      .filter(({ away }) => away <= (bare.length >= 8 ? 2 : 1))
      .sort((a, b) => a.away - b.away || b.to.count - a.to.count);
    if (close[0]) found.push({ from: head.text, to: close[0].to.text, count: head.count });
  }
  return found;
}
