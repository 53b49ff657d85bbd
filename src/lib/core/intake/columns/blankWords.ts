/**
 * Texts that often stand for nothing. None is taken for blank everywhere: `NA` may be a code and `-` a result. They are
 * only where the column's evidence says so: among numbers, days and the like all of them, among words only signs that
 * are no words.
 */
const words = new Set([
  'n/a',
  'n.a.',
  'na',
  '#n/a',
  'none',
  'null',
  'nil',
  'nan',
  '\\n',
  'k.a.',
  'k. a.',
  'tbd',
  'unknown',
  '-',
  '–',
  '—',
  '--',
  '---',
  '?',
  '??',
  '.',
  '…',
  '...',
  '/',
  'x',
  '*',
]);
const signsOnly = /^[^\p{L}\p{N}]+$/u;

/** Whether a text could stand for nothing. */
export function mayBeBlank(text: string): boolean {
  if (text.length > 8) return false;
  // None of them ends in a digit, as most codes and all numbers do.
  const last = text.charCodeAt(text.length - 1);
  return (last < 48 || last > 57) && words.has(text.toLowerCase());
}

/** Whether it can hardly be anything else, even among words. */
export const isPlainlyBlank = (text: string): boolean =>
  (mayBeBlank(text) && signsOnly.test(text)) || /^(?:n\/a|#n\/a|\\n)$/i.test(text);
