import { habitOf, type Habit } from '$core/fieldTypes/typed';

let known: Habit | null = null;

/** How the person at this browser writes numbers and days. */
export function habit(): Habit {
  known ??= habitOf(typeof navigator === 'undefined' ? 'en' : navigator.languages);
  return known;
}
