import { bad, good } from '../base/problem';
import type { Language } from '../types/language';
import type { PartDescriptor } from './part';

declare module '../types/part' {
  interface PartValues {
    /** What the texts of the workspace are in another language. */
    readonly language: Language;
  }
}

/** Texts in all, and in characters: each. */
const mostTexts = 50_000;
const longest = 30_000;

/** A language tag (BCP 47) of the forms that browsers send: a language, perhaps with a script and a region. */
const isCode = /^[a-z]{2,3}(-[A-Z][a-z]{3})?(-([A-Z]{2}|\d{3}))?$/;

export const language: PartDescriptor<'language'> = {
  word: 'language',
  words: 'languages',
  idPrefix: 'a',
  ofWorkspace: 'structure',
  needs: 'design',
  check(model, _, { id, code, first }) {
    const others = (model.parts?.language ?? []).filter((one) => one.id !== id);
    const before = first && others.find((one) => one.first);
    if (before) return bad(`${before.label} is the first language already.`, 'Make that another one first.', '/first');
    const same = others.find((one) => one.code === code);
    return same
      ? bad(`The language ${code} is here already: ${same.label}.`, 'Translate into that one.', '/code')
      : good(true);
  },
  conditions: () => [],
  keeping: (part) => part,
  following: (part) => part,
  blank: () => ({ id: '', label: '', code: '', texts: {} }),
  // What it says is said in it already.
  spoken: (part) => part,
  print: (_model, _table, { id: _, ...json }) => ({ json, lost: [] }),
  read(_model, _table, id, { label, code, first, texts = {} }) {
    if (typeof code !== 'string' || !isCode.test(code))
      return bad('This is no language.', 'Write its code, such as de or pt-BR.', '/code');
    if (typeof texts !== 'object' || texts === null || Array.isArray(texts))
      return bad('Texts are an object: each text with its translation.', undefined, '/texts');
    const pairs = Object.entries(texts as Readonly<Record<string, unknown>>);
    if (pairs.length > mostTexts) return bad(`More than ${mostTexts.toLocaleString('en')} texts.`, undefined, '/texts');
    for (const [text, translated] of pairs)
      if (typeof translated !== 'string' || text.length > longest || translated.length > longest)
        return bad(`“${text.slice(0, 60)}” has no translation that is a text.`, undefined, '/texts');
    // What says nothing is no translation.
    const filled = pairs.filter(
      (pair): pair is [string, string] => typeof pair[1] === 'string' && pair[1].trim() !== '',
    );
    return good({
      id,
      label: typeof label === 'string' ? label.trim() : '',
      code,
      ...(first === true ? { first: true } : {}),
      texts: Object.fromEntries(filled.toSorted(([a], [b]) => (a < b ? -1 : 1))),
    });
  },
};
