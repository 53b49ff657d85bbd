/** Identities are given once and never shown to be typed; everything that must survive a rename uses them. */
export type TableId = string;
export type FieldId = string;
export type RuleId = string;
export type ViewId = string;
export type FormId = string;
/** Names a column that a change of type left behind. */
export type KeptId = string;

const letters = '0123456789abcdefghijklmnopqrstuvwxyz';

/** A new identity such as `f_4k2n8x1qz0`: about 51 random bits, enough for every structure of one database. */
export function newId(prefix: 'w' | 't' | 'f' | 'r' | 'k' | 'v' | 'o' | 'a'): string {
  const bytes = crypto.getRandomValues(new Uint8Array(10));
  let id = `${prefix}_`;
  // 36 does not divide 256; the slight bias costs no uniqueness that matters here.
  for (const byte of bytes) id += letters[byte % 36];
  return id;
}
