import type { Spoken, Words } from '$core/base/say';

/** The languages of the interface beside English, in which it is written: a further one is a file and a line here. */
const others: Readonly<Record<string, () => Promise<Words>>> = {
  de: async () => (await import('./de')).de,
};

/** The codes of all languages of the interface. */
export const interfaceCodes: readonly string[] = ['en', ...Object.keys(others)];

/** The first of the languages that somebody reads (BCP 47) which the interface has, by its main part; else English. */
export const interfaceCode = (wanted: readonly string[]): string =>
  wanted.map((tag) => tag.split('-')[0]?.toLowerCase() ?? '').find((code) => interfaceCodes.includes(code)) ?? 'en';

/** The words of a language of the interface; null for English, which needs none. */
export async function wordsOf(code: string): Promise<Spoken | null> {
  const load = others[code];
  return load ? { code, words: await load() } : null;
}
