/** The shape of a text: letters as `A` or `a`, digits as `0`, everything else as it is. */
const shapeOf = (text: string): string =>
  text
    .replace(/\p{Lu}/gu, 'A')
    .replace(/\p{L}/gu, (letter) => (letter === 'A' ? letter : 'a'))
    .replace(/\d/g, '0');

const longest = 24;

/**
 * What nearly all texts look like, such as `K-000`, with the letters that all of them share; null where they have no
 * shape in common or it says nothing.
 */
export function patternOf(texts: readonly string[]): string | null {
  if (texts.length < 3) return null;
  const shapes = new Map<string, string[]>();
  for (const text of texts) {
    if (text.length > longest) return null;
    const shape = shapeOf(text);
    shapes.set(shape, [...(shapes.get(shape) ?? []), text]);
  }
  const [shape, own] = [...shapes].reduce((best, one) => (one[1].length > best[1].length ? one : best));
  if (own.length < texts.length * 0.9 || !/\d/.test(shape) || /^0+$/.test(shape)) return null;
  const [first = ''] = own;
  return [...shape]
    .map((sign, at) => (/[Aa]/.test(sign) && own.every((text) => text[at] === first[at]) ? (first[at] ?? sign) : sign))
    .join('');
}
