/** Kept from call to call: millions of short texts are compared one after the other. */
let taken = new Uint8Array(64);
let common = new Uint16Array(64);

/**
 * The Jaro–Winkler similarity of two texts, from 0 for nothing in common to 1 for the same (Winkler 1990: Jaro's share
 * of common signs, less half of those out of place, raised by a tenth for each of up to four first signs that agree).
 */
export function jaroWinkler(a: string, b: string): number {
  if (a === b) return 1;
  if (a.length === 0 || b.length === 0) return 0;
  const reach = Math.max(0, Math.floor(Math.max(a.length, b.length) / 2) - 1);
  if (taken.length < b.length) taken = new Uint8Array(b.length * 2);
  taken.fill(0, 0, b.length);
  if (common.length < a.length) common = new Uint16Array(a.length * 2);
  let m = 0;
  for (let i = 0; i < a.length; i++) {
    const code = a.charCodeAt(i);
    const last = Math.min(b.length - 1, i + reach);
    for (let j = Math.max(0, i - reach); j <= last; j++) {
      if (taken[j] === 1 || code !== b.charCodeAt(j)) continue;
      taken[j] = 1;
      common[m++] = code;
      break;
    }
  }
  if (m === 0) return 0;
  let [misplaced, at] = [0, 0];
  for (let j = 0; j < b.length; j++) if (taken[j] === 1 && b.charCodeAt(j) !== common[at++]) misplaced++;
  const jaro = (m / a.length + m / b.length + (m - misplaced / 2) / m) / 3;
  let prefix = 0;
  while (prefix < 4 && prefix < a.length && a[prefix] === b[prefix]) prefix++;
  return jaro + prefix * 0.1 * (1 - jaro);
}
