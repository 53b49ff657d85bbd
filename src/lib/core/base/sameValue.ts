/** A value with the members of its objects in one order: the catalogue gives them back in another. */
const ordered = (_: string, value: unknown): unknown =>
  typeof value === 'object' && value !== null && !Array.isArray(value)
    ? Object.fromEntries(Object.entries(value).toSorted(([a], [b]) => (a < b ? -1 : 1)))
    : value;

/** Whether two JSON values are the same, whatever the order of members; what is not there is null. */
export const sameValue = (a: unknown, b: unknown): boolean =>
  JSON.stringify(a ?? null, ordered) === JSON.stringify(b ?? null, ordered);
