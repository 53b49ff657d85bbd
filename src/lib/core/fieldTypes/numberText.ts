/** A number in the reader's way of writing, all of its digits kept. `locale`: BCP 47; the reader's own unless said. */
export function numberText(value: string | number, digits: number | null, locale?: string): string {
  const [whole = '0', fraction = ''] = String(value).split('.');
  const shown = digits === null ? fraction : fraction.padEnd(digits, '0');
  // The digits behind the sign stand as they are, so that those before it are written with the same.
  const format = new Intl.NumberFormat(locale, { numberingSystem: 'latn' });
  const sign = format.formatToParts(1.1).find(({ type }) => type === 'decimal')?.value ?? '.';
  const grouped = format.format(BigInt(whole === '-' ? 0 : whole));
  const negative = whole.startsWith('-') && !grouped.startsWith('-') ? '-' : '';
  return negative + grouped + (shown ? sign + shown : '');
}
