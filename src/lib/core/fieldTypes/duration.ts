import type { NoSettings } from '../types/field';
import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import { plainReading, type ValueKind } from './kind';
import { compareNumbers } from './number';
import { shorten } from './text';

/** About three hundred years: beyond any work that is measured. */
const longestDuration = 9_999_999_999;

const clock = /^([-−]?)(\d{1,7}):([0-5]\d)(?::([0-5]\d))?$/;
const iso = /^([-−]?)P(?:(\d{1,9})D)?(?:T(?:(\d{1,9})H)?(?:(\d{1,9})M)?(?:(\d{1,9})S)?)?$/;
const worded =
  /^(?:(\d{1,9}) ?d(?:ays?)?)? ?(?:(\d{1,9}) ?h(?:ours?|rs?)?)? ?(?:(\d{1,9}) ?m(?:in(?:utes?)?)?)? ?(?:(\d{1,9}) ?s(?:ec(?:onds?)?)?)?$/;

/** `1:30`, `1:30:15`, `PT1H30M`, `2 days 3 h 15 min`: whole seconds. */
export function readDuration(written: string): Result<Scalar> {
  const time = clock.exec(written);
  const parts = iso.exec(written.toUpperCase());
  const words = worded.exec(written.toLowerCase());
  let seconds: number | null = null;
  const sum = (days = '0', hours = '0', minutes = '0', rest = '0') =>
    Number(days) * 86_400 + Number(hours) * 3600 + Number(minutes) * 60 + Number(rest);
  if (time) seconds = sum('0', time[2], time[3], time[4]) * (time[1] ? -1 : 1);
  else if (parts && /\d/.test(written)) seconds = sum(parts[2], parts[3], parts[4], parts[5]) * (parts[1] ? -1 : 1);
  else if (words && /\d/.test(written)) seconds = sum(words[1], words[2], words[3], words[4]);
  if (seconds === null)
    return bad(`“${shorten(written)}” is no duration.`, 'Write hours:minutes, such as 1:30, or 1 h 30 min.');
  return settled(seconds);
}

const settled = (seconds: number): Result<Scalar> =>
  Math.abs(seconds) <= longestDuration
    ? good(String(seconds === 0 ? 0 : seconds))
    : bad('The duration is longer than 300 years.', 'Correct its unit.');

/** Hours, minutes and seconds of a duration with its sign. */
export function durationParts(value: Scalar): { sign: '' | '-'; hours: number; minutes: number; seconds: number } {
  const all = Math.abs(Number(value));
  return {
    sign: Number(value) < 0 ? '-' : '',
    hours: Math.floor(all / 3600),
    minutes: Math.floor((all % 3600) / 60),
    seconds: all % 60,
  };
}

const two = (n: number) => String(n).padStart(2, '0');

/** ISO 8601, as programs read it: `PT1H30M`. */
export function isoDuration(value: Scalar): string {
  const { sign, hours, minutes, seconds } = durationParts(value);
  const parts = [hours ? `${hours}H` : '', minutes ? `${minutes}M` : '', seconds ? `${seconds}S` : ''].join('');
  return `${sign}PT${parts || '0S'}`;
}

declare module '../types/field' {
  interface FieldTypes {
    /** A length of time, to the second. */
    readonly duration: NoSettings;
  }
}

/** Whole seconds as text, shown as hours:minutes, with seconds where there are any. */
export const duration: ValueKind<'duration'> = {
  text: (value, type) => {
    const seconds = readDuration(String(value));
    return seconds.ok ? duration.print(seconds.value, type, plainReading) : String(value);
  },
  word: 'duration',
  valueType: () => ({ is: 'duration' }),
  canBeUnique: true,
  looksLike: 'numbers',
  json: isoDuration,
  parse: readDuration,
  take: (value) =>
    typeof value === 'string'
      ? readDuration(value.trim())
      : typeof value === 'number' && Number.isInteger(value)
        ? settled(value)
        : bad('This is no duration.', 'Write "PT1H30M", "1:30" or whole seconds.'),
  print(value) {
    const { sign, hours, minutes, seconds } = durationParts(value);
    return `${sign}${hours}:${two(minutes)}${seconds ? `:${two(seconds)}` : ''}`;
  },
  compare: compareNumbers,
  sample: (random) => String(60 * Math.floor(random() * 240)),
};
