/** A list as every call answers one: some of it, and where it goes on; null at its end. */
export interface Listed<T, Next = number> {
  readonly items: readonly T[];
  readonly next: Next | null;
}

/** A list that is answered whole. */
export const whole = <T>(items: readonly T[]): Listed<T> => ({ items, next: null });

/** A page of a list, of which one more was read than is shown, if there is one; it goes on after the last by its number. */
export function pageOf<T>(rows: readonly T[], limit: number, numberOf: (row: T) => number): Listed<T> {
  const items = rows.slice(0, limit);
  const last = items.at(-1);
  return { items, next: rows.length > limit && last !== undefined ? numberOf(last) : null };
}
