import { distance } from 'fastest-levenshtein';
import { jaroWinkler } from './jaroWinkler';

export interface NearMatch {
  /** The place of the target in the list given. */
  readonly target: number;
  /** From `leastScore` to 1: 1 for texts that differ in case, blanks, signs and marks only. */
  readonly score: number;
}

/** Below it two texts are not taken for one another. */
const leastScore = 0.86;
/** How many of a text's neighbours are compared sign by sign. */
const compared = 12;
/** Trigrams are looked up, the rarest first, until so many targets were met. */
const mostMet = 1500;
/** Trigrams of so few targets are looked up all the same. */
const fewMet = 60;
/** Once so many were met, a trigram that leads beyond `mostLooked` is left out: it says little and costs much. */
const leastMet = 200;
const mostLooked = 3_500;

// eslint-disable-next-line no-control-regex
const plainText = /^[\x00-\x7f]*$/;
const startsWithNumber = /^\p{N}/u;

/** Words of letters and digits in small letters, without marks. */
function wordsOf(text: string): string[] {
  const small = text.toLowerCase();
  // Most texts have no signs that take more than this.
  if (plainText.test(text)) return small.match(/[a-z]+|\d+/g) ?? [];
  return (
    small
      .normalize('NFKD')
      .replace(/\p{M}/gu, '')
      .replace(/ß/g, 'ss')
      .match(/\p{L}+|\p{N}+/gu) ?? []
  );
}

/** A text as those compare that are alike but for case, blanks, signs, marks and the zeros before numbers. */
export const plainForm = (text: string): string =>
  wordsOf(text)
    .map((word) => word.replace(/^0+(?=\d)/, ''))
    .join('');

export interface Spelled {
  /** All words in their order, and in the order of the alphabet, so that `Vale, Ida` is near to `Ida Vale`. */
  readonly plain: string;
  readonly sorted: string;
  /** Its numbers without leading zeros: in them every digit counts, so that `H-0042` is never near to `H-0043`. */
  readonly numbers: string;
}

export function spelled(text: string): Spelled {
  const words = wordsOf(text);
  const numbers = words.some((word) => startsWithNumber.test(word))
    ? words.flatMap((word) => (startsWithNumber.test(word) ? [word.replace(/^0+(?=.)/, '')] : []))
    : [];
  return {
    plain: words.join(''),
    sorted: (words.length > 1 ? words.toSorted() : words).join(' '),
    numbers: numbers.join(' '),
  };
}

/** Signs in six bits: blank, letters and digits each their own, all others shared out. */
function bitsOf(code: number): number {
  if (code === 32) return 0;
  if (code >= 97 && code <= 122) return code - 96;
  if (code >= 48 && code <= 57) return code - 21;
  return 37 + (code % 27);
}

const trigramCount = 1 << 18;

/** Three signs as one number of 18 bits: what two near texts share many of. Each once. */
export function trigramsOf(text: string): number[] {
  const out: number[] = [];
  let last = 0;
  for (let i = 0; i <= text.length; i++) {
    last = ((last << 6) | (i < text.length ? bitsOf(text.charCodeAt(i)) : 0)) & (trigramCount - 1);
    if (!out.includes(last)) out.push(last);
  }
  return out;
}

/**
 * Finds what texts may be meant by others. Blocking by shared trigrams (an inverted index, the rarest first) leaves a
 * handful of targets for each text, which are compared by Jaro–Winkler similarity; so 100,000 texts are held against
 * 50,000 in seconds.
 */
export class NearMatches {
  private readonly targets: readonly Spelled[];
  /** The targets of trigram n stand in `postings` from `begins[n]` to `begins[n + 1]`. */
  private readonly postings: Int32Array;
  private readonly begins = new Int32Array(trigramCount + 1);
  private readonly sizes: Uint16Array;
  private readonly shared: Uint16Array;
  private readonly alike = new Map<string, number[]>();

  constructor(targets: readonly string[]) {
    this.targets = targets.map(spelled);
    this.shared = new Uint16Array(targets.length);
    const trigrams = this.targets.map(({ sorted }) => trigramsOf(sorted));
    this.sizes = Uint16Array.from(trigrams, ({ length }) => length);
    for (const own of trigrams)
      for (const trigram of own) this.begins[trigram + 1] = (this.begins[trigram + 1] ?? 0) + 1;
    for (let n = 0; n < trigramCount; n++) this.begins[n + 1] = (this.begins[n + 1] ?? 0) + (this.begins[n] ?? 0);
    this.postings = new Int32Array(this.begins[trigramCount] ?? 0);
    const next = this.begins.slice();
    trigrams.forEach((own, target) => {
      for (const trigram of own) {
        const at = next[trigram] ?? 0;
        this.postings[at] = target;
        next[trigram] = at + 1;
      }
    });
    this.targets.forEach(({ plain }, index) => {
      const alike = this.alike.get(plain);
      if (alike) alike.push(index);
      else this.alike.set(plain, [index]);
    });
  }

  /** The targets a text may mean, the nearest first. */
  of(text: string, most = 3): NearMatch[] {
    const wanted = spelled(text);
    if (wanted.plain === '') return [];
    const same = this.alike.get(wanted.plain) ?? [];
    if (same.length > 0) return same.slice(0, most).map((target) => ({ target, score: 1 }));
    return this.neighbours(wanted)
      .map((target) => ({ target, score: this.score(wanted, this.targets[target] as Spelled) }))
      .filter(({ score }) => score >= leastScore)
      .sort((a, b) => b.score - a.score || a.target - b.target)
      .slice(0, most);
  }

  /** The targets that share most trigrams with a text, by the Dice coefficient. */
  private neighbours({ sorted }: Spelled): number[] {
    const { begins, postings, shared, sizes } = this;
    const trigrams = trigramsOf(sorted);
    const length = (trigram: number) => (begins[trigram + 1] ?? 0) - (begins[trigram] ?? 0);
    trigrams.sort((a, b) => length(a) - length(b));
    const met: number[] = [];
    let seen = 0;
    for (const trigram of trigrams) {
      const [from, to] = [begins[trigram] ?? 0, begins[trigram + 1] ?? 0];
      if ((seen > mostMet && to - from > fewMet) || (seen > leastMet && seen + to - from > mostLooked)) break;
      seen += to - from;
      for (let at = from; at < to; at++) {
        const target = postings[at] ?? 0;
        const count = shared[target] ?? 0;
        if (count === 0) met.push(target);
        shared[target] = count + 1;
      }
    }
    const best: { target: number; dice: number }[] = [];
    let least = 0;
    for (const target of met) {
      const dice = ((shared[target] ?? 0) * 2) / (trigrams.length + (sizes[target] ?? 0));
      shared[target] = 0;
      if (best.length === compared && dice <= least) continue;
      if (best.length === compared) best.pop();
      let at = best.length;
      while (at > 0 && (best[at - 1]?.dice ?? 0) < dice) at--;
      best.splice(at, 0, { target, dice });
      least = best.at(-1)?.dice ?? 0;
    }
    return best.map(({ target }) => target);
  }

  private score(a: Spelled, b: Spelled): number {
    return nearness(a, b);
  }
}

/** How near two texts are, from 0 up to 1: by their signs in order, by their words, or by the letters that need no change. */
export function nearness(a: Spelled, b: Spelled): number {
  // Texts whose numbers differ are never near.
  if (a.numbers !== b.numbers) return 0;
  const inOrder = jaroWinkler(a.plain, b.plain);
  if (inOrder > 0.96) return Math.min(0.999, inOrder);
  const sorted = a.sorted.length === a.plain.length ? 0 : 0.99 * jaroWinkler(a.sorted, b.sorted);
  // A letter lost among doubled ones misleads the first measure; the share of letters that need no change does not.
  const edits =
    Math.max(inOrder, sorted) < leastScore && inOrder > 0.7
      ? 1 - distance(a.plain, b.plain) / Math.max(a.plain.length, b.plain.length)
      : 0;
  return Math.min(0.999, Math.max(inOrder, sorted, edits));
}
