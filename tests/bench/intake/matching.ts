import { NearMatches } from '../../../src/lib/core/intake/matching/nearMatches';
import { randomFrom } from '../../../demo/random';
import { figure, type Figure } from '../measure';

const beginnings =
  'Al,Ber,Cor,Dun,El,Fen,Gar,Hol,In,Jor,Kes,Lin,Mar,Nor,Or,Per,Quil,Ros,Sef,Tam,Ul,Ver,Wen,Yso,Zan'.split(',');
const middles = 'ba,de,li,mo,na,ra,sa,ti,vo,we'.split(',');
const ends = 'ck,den,dale,fell,gate,ham,law,mere,ness,ric,rigg,son,ton,wick,worth'.split(',');

/** Made-up names of two words, and the same with one or two signs changed. */
export function madeUpNames(count: number, start: number): string[] {
  const random = randomFrom(start);
  const pick = <T>(list: readonly T[]): T => list[Math.floor(random() * list.length)] as T;
  const word = () => pick(beginnings) + pick(middles) + pick(middles).slice(0, 1) + pick(ends);
  const names = new Set<string>();
  while (names.size < count) names.add(`${word()} ${word()}`);
  return [...names];
}

export function misspelt(names: readonly string[], count: number, start: number): { text: string; of: number }[] {
  const random = randomFrom(start);
  const letters = 'abcdefghijklmnopqrstuvwxyz';
  return Array.from({ length: count }, () => {
    const of = Math.floor(random() * names.length);
    let text = names[of] ?? '';
    for (let change = 0; change < 1 + Math.floor(random() * 2); change++) {
      const at = 1 + Math.floor(random() * (text.length - 1));
      const letter = letters[Math.floor(random() * letters.length)] ?? '';
      text =
        random() < 0.34
          ? text.slice(0, at) + text.slice(at + 1)
          : random() < 0.5
            ? text.slice(0, at) + letter + text.slice(at)
            : text.slice(0, at) + letter + text.slice(at + 1);
    }
    return { text, of };
  });
}

/**
 * Near misses among names: how long it takes, and of how many the name that was meant is the first or among those
 * offered.
 */
export function matching(): Figure[] {
  const figures: Figure[] = [];
  for (const [texts, targets] of [
    [1_000, 50_000],
    [10_000, 50_000],
    [100_000, 50_000],
  ] as const) {
    const names = madeUpNames(targets, 1);
    const wrong = misspelt(names, texts, 2);
    const started = performance.now();
    const near = new NearMatches(names);
    let [first, offered] = [0, 0];
    for (const { text, of } of wrong) {
      const found = near.of(text);
      if (found[0]?.target === of) first++;
      if (found.some(({ target }) => target === of)) offered++;
    }
    const seconds = (performance.now() - started) / 1000;
    const share = (count: number) => `${((count * 100) / texts).toFixed(1)} %`;
    figures.push(
      figure(
        'intake',
        `near misses, ${texts} against ${targets}: meant one first ${share(first)}, offered ${share(offered)}`,
        seconds,
        null,
        's',
        texts === 100_000 ? 15 : null,
      ),
    );
  }
  return figures;
}
