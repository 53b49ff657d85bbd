/** The words of one JSON value of a record: titles, names, labels. */
export function wordsOf(value: unknown): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (Array.isArray(value)) return value.map(wordsOf).join('; ');
  if (typeof value !== 'object') return String(value);
  const { title, name, count, amount, currency, address, latitude, longitude } = value as Record<string, unknown>;
  if (title !== undefined) return String(title);
  if (name !== undefined) return String(name);
  if (count !== undefined) return String(count);
  if (amount !== undefined) return `${String(amount)} ${String(currency)}`;
  const point = latitude == null ? '' : `${String(latitude)}, ${String(longitude)}`;
  return address == null ? point : point === '' ? String(address) : `${String(address)} (${point})`;
}
