import { bad, good, type Result } from '../base/problem';
import type { ValueKind } from './kind';
import { heldAsText, shorten } from './text';

/** The parts of a pattern such as `LOT-{year}-{000}`: what stands before and behind the number, and its width. */
export interface RunningPattern {
  readonly before: string;
  readonly behind: string;
  readonly width: number;
}

/** Exactly one run of zeros in braces, `{year}` where wanted, at most 40 characters. */
export function readPattern(pattern: string): Result<RunningPattern> {
  const found = /^([^{}]*(?:\{year\}[^{}]*)?)\{(0{1,12})\}([^{}]*(?:\{year\}[^{}]*)?)$/.exec(pattern);
  if (!found || pattern.length > 40)
    return bad(
      `“${shorten(pattern)}” is no pattern for a running number.`,
      'Write zeros in braces where the number stands, such as H-{0000}.',
    );
  return good({ before: found[1] ?? '', behind: found[3] ?? '', width: found[2]?.length ?? 1 });
}

/** The running number itself in a text of the pattern; null when the text has another shape. */
export function numberIn(written: string, pattern: string): number | null {
  const parts = readPattern(pattern);
  if (!parts.ok) return null;
  const literal = (text: string) => text.replace(/[\\^$.*+?()[\]|/-]/g, '\\$&').replace('{year}', '\\d{4}');
  const found = new RegExp(
    `^${literal(parts.value.before)}(\\d{${parts.value.width},15})${literal(parts.value.behind)}$`,
  ).exec(written);
  return found ? Number(found[1]) : null;
}

declare module '../types/field' {
  interface FieldTypes {
    /** Given by the database when a record is made. `pattern`: zeros in braces are the number, `{year}` the year. */
    readonly runningNumber: { readonly pattern: string };
  }
}

/** Given by the database when a record is made; a load may bring numbers of the pattern along. */
export const runningNumber: ValueKind<'runningNumber'> = {
  word: 'running number',
  valueType: () => ({ is: 'text' }),
  canBeUnique: true,
  oneLine: true,
  numbered: true,
  looksLike: 'words',
  check({ pattern }) {
    const read = readPattern(pattern);
    return read.ok ? good(true) : read;
  },
  family: 'textual',
  ...heldAsText<'runningNumber'>((written, type) =>
    numberIn(written, type.pattern) === null
      ? bad(`“${shorten(written)}” has not the shape ${type.pattern}.`, 'Leave it blank to be given the next number.')
      : good(written),
  ),
  sample: (random, type) =>
    type.pattern
      .replace('{year}', '2026')
      .replace(/\{(0+)\}/, (_, zeros: string) => String(1 + Math.floor(random() * 99)).padStart(zeros.length, '0')),
};
