import { own } from './own';

/** The words of the interface in one language, by those in English: `{0}`, `{1}` stand where values come. */
export type Words = Readonly<Record<string, string>>;

/** A language that the interface is shown in. */
export interface Spoken {
  /** A language tag (BCP 47). */
  readonly code: string;
  readonly words: Words;
}

/** What it is written in. */
const written: Spoken = { code: 'en', words: {} };

let spoken: () => Spoken | null = () => null;

/** Sets who says which language is spoken: a page its own, a server that of whoever it answers. */
export function speakBy(of: () => Spoken | null): void {
  spoken = of;
}

/** The language of the interface, as it is spoken here and now. */
export const spokenCode = (): string => (spoken() ?? written).code;

/**
 * A text of the interface in the language that is spoken, with values in their places. What is not translated is said
 * in English.
 */
export function say(text: string, ...values: readonly unknown[]): string {
  const said = own((spoken() ?? written).words, text) ?? text;
  if (values.length === 0) return said;
  return said.replaceAll(/\{(\d)\}/g, (place, n: string) =>
    Number(n) < values.length ? String(values[Number(n)] ?? '') : place,
  );
}

/** The same within a sentence, where English writes it small. */
export const sayWithin = (text: string): string => (spokenCode() === written.code ? text.toLowerCase() : say(text));
