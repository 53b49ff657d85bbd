import { namedAs } from './columns/columnWords';
import type { Reason } from './columns/meaning';
import type { ColumnProfile, ColumnType, IntakeSheet } from './intake';
import { nameWords, speaksOfKey } from './naming';

/** Types whose values are measured, counted or told: each may be met once by accident, and none names a record. */
const naming: Partial<Record<ColumnType, number>> = {
  text: 1,
  option: 0.5,
  email: 1,
  url: 0.5,
  phone: -0.5,
  date: -0.5,
};
/** A column is proposed as the key from this weight on. */
const leastWeight = 0.8;

/**
 * What speaks for a column as the key of its sheet, given that each row has a value of its own: by what is called key
 * in it, where it stands, how long and of which kind its values are (features of Rostin et al. 2009 and of Jiang and
 * Naumann 2020).
 */
export function keyReasons(profile: ColumnProfile, place: number): readonly Reason[] {
  const reasons: Reason[] = [];
  const say = (weight: number, says: string) => reasons.push({ weight, says });
  const { name, type, longest, pattern } = profile;
  say(
    naming[type] ?? -5,
    naming[type] === undefined ? 'its values are measured or told' : 'its values can name things',
  );
  const called = namedAs(name);
  if (called === 'key' || speaksOfKey(name)) say(3, `“${name}” is the name of a key`);
  else if (called === 'measure' && type !== 'date') say(-3, `“${name}” is the name of something measured`);
  else if (nameWords.test(name)) say(1, `“${name}” is the name of a name`);
  if (place === 0) say(1.5, 'the first column');
  else say(-Math.min(1, place * 0.05), `column ${place + 1}`);
  if (pattern !== undefined) say(1, `written as ${pattern}`);
  if (longest > 60) say(-2, `up to ${longest} characters`);
  else if (longest > 24) say(-0.5, `up to ${longest} characters`);
  return reasons;
}

/** What one of its columns weighs as a sheet's key. */
const keyWeight = (profile: ColumnProfile, place: number): number =>
  keyReasons(profile, place).reduce((sum, { weight }) => sum + weight, 0);

/**
 * The columns that may be a sheet's key, the likeliest first, out of those that hold each value once. `pointedAt`:
 * those that links lead to, which come before all others.
 */
export function keysOf(
  { columns, declared }: Pick<IntakeSheet, 'columns' | 'declared'>,
  unique: readonly number[],
  pointedAt: ReadonlySet<number> = new Set(),
): readonly number[] {
  const weight = (column: number): number => {
    const profile = columns[column];
    return profile ? keyWeight(profile, column) + (pointedAt.has(column) ? 6 : 0) : -Infinity;
  };
  return unique
    .filter((column) => columns[column]?.name !== declared?.record && weight(column) >= leastWeight)
    .toSorted((a, b) => weight(b) - weight(a) || a - b);
}
