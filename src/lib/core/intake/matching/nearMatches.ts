import { jaroWinkler } from './jaroWinkler';

export interface NearMatch {
  /** The place of the target in the list given. */
  readonly target: number;
  /** From `leastScore` to 1: 1 for texts that differ in case, blanks, signs and marks only. */
  readonly score: number;
}

/** Below it two texts are not taken for one another. */
export const leastScore = 0.86;
/** How many of a text's neighbours are compared sign by sign. */
const compared = 12;
/** Trigrams are looked up, the rarest first, until so many targets were met. */
const mostMet = 1_500;

/** Words of letters and digits in small letters, without marks. */
const wordsOf = (text: string): string[] =>
  text
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .toLowerCase()
    .replace(/ß/g, 'ss')
    .match(/[\p{L}]+|\p{N}+/gu) ?? [];

interface Spelled {
  /** All words in their order, and in the order of the alphabet, so that `Vale, Ida` is near to `Ida Vale`. */
  readonly plain: string;
  readonly sorted: string;
  /** Its numbers without leading zeros: in them every digit counts, so that `H-0042` is never near to `H-0043`. */
  readonly numbers: string;
}

function spelled(text: string): Spelled {
  const words = wordsOf(text);
  const numbers = words.flatMap((word) => (/^\p{N}/u.test(word) ? [word.replace(/^0+(?=.)/, '')] : []));
  return { plain: words.join(''), sorted: words.toSorted().join(' '), numbers: numbers.join(' ') };
}

/** Three signs as one number: what two near texts share many of. */
function trigramsOf(text: string): number[] {
  const padded = `  ${text} `;
  const out = new Set<number>();
  for (let i = 0; i + 2 < padded.length; i++) out.add(padded.charCodeAt(i) * 4_294_967_296 + padded.charCodeAt(i + 1) * 65_536 + padded.charCodeAt(i + 2));
  return [...out];
}

/**
 * Finds what texts may be meant by others. Blocking by shared trigrams (an inverted index, the rarest first) leaves a handful
 * of targets for each text, which are compared by Jaro–Winkler similarity; so 100,000 texts are held against 50,000 in seconds.
 */
export class NearMatches {
  private readonly targets: readonly Spelled[];
  private readonly postings = new Map<number, number[]>();
  private readonly sizes: Uint16Array;
  private readonly shared: Uint16Array;
  private readonly alike = new Map<string, number[]>();

  constructor(targets: readonly string[]) {
    this.targets = targets.map(spelled);
    this.sizes = new Uint16Array(targets.length);
    this.shared = new Uint16Array(targets.length);
    this.targets.forEach(({ plain, sorted }, index) => {
      const trigrams = trigramsOf(sorted);
      this.sizes[index] = trigrams.length;
      for (const trigram of trigrams) {
        const known = this.postings.get(trigram);
        if (known) known.push(index);
        else this.postings.set(trigram, [index]);
      }
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
    const trigrams = trigramsOf(sorted);
    const lists = trigrams.map((trigram) => this.postings.get(trigram) ?? []).sort((a, b) => a.length - b.length);
    const met: number[] = [];
    let seen = 0;
    for (const list of lists) {
      if (seen > mostMet && list.length > 50) break;
      seen += list.length;
      for (const target of list) {
        const shared = this.shared[target] ?? 0;
        if (shared === 0) met.push(target);
        this.shared[target] = shared + 1;
      }
    }
    const dice = (target: number) => ((this.shared[target] ?? 0) * 2) / (trigrams.length + (this.sizes[target] ?? 0));
    const best: { target: number; dice: number }[] = [];
    for (const target of met) {
      const share = dice(target);
      const last = best.at(-1);
      if (best.length === compared && last && share <= last.dice) continue;
      if (best.length === compared) best.pop();
      const at = best.findIndex((one) => one.dice < share);
      best.splice(at < 0 ? best.length : at, 0, { target, dice: share });
    }
    for (const target of met) this.shared[target] = 0;
    return best.map(({ target }) => target);
  }

  private score(a: Spelled, b: Spelled): number {
    // Texts whose numbers differ are never near.
    if (a.numbers !== b.numbers) return 0;
    return Math.min(0.999, Math.max(jaroWinkler(a.plain, b.plain), 0.99 * jaroWinkler(a.sorted, b.sorted)));
  }
}
