import { AsyncLocalStorage } from 'node:async_hooks';
import { speakBy, type Spoken } from '$core/base/say';
import { interfaceCode, interfaceCodes, wordsOf } from '../../words/languages';

// Pages of many people are made at once: each says its words in the language of whoever asked for it.
const heard = new AsyncLocalStorage<Spoken | null>();
speakBy(() => heard.getStore() ?? null);

const all: Promise<Map<string, Spoken | null>> = Promise.all(
  interfaceCodes.map(async (code) => [code, await wordsOf(code)] as const),
).then((found) => new Map(found));

/** Makes a page in the first of the languages that the interface has; `make` is told its code. */
export async function inWords<T>(wanted: readonly string[], make: (code: string) => Promise<T>): Promise<T> {
  const code = interfaceCode(wanted);
  const spoken = (await all).get(code) ?? null;
  return heard.run(spoken, () => make(code));
}
