/**
 * The Jaro–Winkler similarity of two texts, from 0 for nothing in common to 1 for the same (Winkler 1990: Jaro's share of
 * common signs, less half of those out of place, raised by a tenth for each of up to four first signs that agree).
 */
export function jaroWinkler(a: string, b: string): number {
  if (a === b) return 1;
  if (a.length === 0 || b.length === 0) return 0;
  const reach = Math.max(0, Math.floor(Math.max(a.length, b.length) / 2) - 1);
  const taken = new Uint8Array(b.length);
  const common: number[] = [];
  for (let i = 0; i < a.length; i++) {
    const last = Math.min(b.length - 1, i + reach);
    for (let j = Math.max(0, i - reach); j <= last; j++) {
      if (taken[j] || a.charCodeAt(i) !== b.charCodeAt(j)) continue;
      taken[j] = 1;
      common.push(a.charCodeAt(i));
      break;
    }
  }
  if (common.length === 0) return 0;
  let [misplaced, at] = [0, 0];
  for (let j = 0; j < b.length; j++) if (taken[j] && b.charCodeAt(j) !== common[at++]) misplaced++;
  const m = common.length;
  const jaro = (m / a.length + m / b.length + (m - misplaced / 2) / m) / 3;
  let prefix = 0;
  while (prefix < 4 && prefix < a.length && a[prefix] === b[prefix]) prefix++;
  return jaro + prefix * 0.1 * (1 - jaro);
}
