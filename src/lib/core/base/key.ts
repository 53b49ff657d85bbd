import { distance } from 'fastest-levenshtein';
import { bad, good, type Result } from './problem';

/** PostgreSQL cuts identifiers at 63 bytes; keys are ASCII, so bytes are characters. */
const longestKey = 63;

/** Words that would have to be quoted in every formula or statement, so no key is one of them. */
const reservedWords = new Set(
  (
    'all analyse analyze and any array as asc asymmetric both by case cast check collate column constraint create ' +
    'current_date current_time current_timestamp current_user default deferrable desc distinct do else end except ' +
    'exists extract false fetch filter for foreign from grant group having in initially intersect interval into is ' +
    'lateral leading like limit localtime localtimestamp not null offset on only or order placing primary ' +
    'references returning select session_user some symmetric table then timestamp to trailing true union unique ' +
    'user using variadic when where window with between substring position trim date'
  ).split(' '),
);

/** Columns that every table of PostgreSQL has by itself. */
const systemColumns = new Set(['tableoid', 'xmin', 'cmin', 'xmax', 'cmax', 'ctid']);

/** What every object has under a name that a key could be. */
const inherited = 'constructor';

const isReserved = (key: string): boolean => reservedWords.has(key) || systemColumns.has(key) || key === inherited;

/** Schemas that are not a workspace's. */
const reservedSchemas = new Set(['public', 'loom', 'loom_staging', 'information_schema']);

/**
 * The key made from a label: lower-case ASCII words joined by underscores, beginning with a letter, at most 63
 * characters, never a reserved word. Accents are dropped (Unicode NFKD); a label without any letter or digit gives
 * `fallback`.
 */
export function keyFromLabel(label: string, fallback: string): string {
  const words = label
    .normalize('NFKD')
    .replace(/\p{M}/gu, '')
    .replace(/ß/g, 'ss')
    .replace(/([a-z0-9])([A-Z])/g, '$1_$2')
    .toLowerCase()
    .replace(/[^a-z0-9]+/g, '_')
    .replace(/^_+|_+$/g, '');
  const started = words === '' ? fallback : /^[a-z]/.test(words) ? words : `n_${words}`;
  const cut = started.slice(0, longestKey).replace(/_+$/, '');
  return isReserved(cut) ? `${cut}_` + fallback : cut;
}

/** The key, or the first of `key_2`, `key_3`, … that is not taken. */
export function freeKey(key: string, taken: ReadonlySet<string>): string {
  if (!taken.has(key)) return key;
  for (let n = 2; ; n++) {
    const suffix = `_${n}`;
    const candidate = key.slice(0, longestKey - suffix.length) + suffix;
    if (!taken.has(candidate)) return candidate;
  }
}

/** Checks a key that a person or a program wrote. */
export function checkKey(key: string): Result<string> {
  if (key.length > longestKey)
    return bad(`The key has ${key.length} characters; ${longestKey} is the most.`, 'Shorten it.');
  if (!/^[a-z][a-z0-9_]*$/.test(key))
    return bad(
      `“${key}” is no key: small letters, digits and _ only, beginning with a letter.`,
      `Use “${keyFromLabel(key, 'field')}”.`,
    );
  if (systemColumns.has(key))
    return bad(`“${key}” is a column that PostgreSQL keeps for itself.`, `Use “${key}_of” or another word.`);
  if (reservedWords.has(key))
    return bad(`“${key}” is a word of the formula language.`, `Use “${key}_of” or another word.`);
  return good(key);
}

/** A workspace's key is also its schema's name. */
export function checkWorkspaceKey(key: string): Result<string> {
  if (reservedSchemas.has(key) || key.startsWith('pg_'))
    return bad(`“${key}” is kept for the database itself.`, 'Choose another key.');
  return checkKey(key);
}

/** Whether two words differ by two neighbouring letters that changed places. */
function isTurned(a: string, b: string): boolean {
  if (a.length !== b.length) return false;
  const at = [...a].findIndex((letter, index) => letter !== b[index]);
  return at >= 0 && a[at] === b[at + 1] && a[at + 1] === b[at] && a.slice(at + 2) === b.slice(at + 2);
}

/** Up to `most` of the names that a person may have meant, nearest first. */
export function nearestNames(name: string, names: readonly string[], most = 3): string[] {
  const wanted = name.toLowerCase();
  return [...new Set(names)]
    .map((candidate) => {
      const other = candidate.toLowerCase();
      // A part of a name is near; so are letters out of order, which people type most often.
      const near = other.startsWith(wanted)
        ? 1
        : isTurned(wanted, other)
          ? 1
          : other.includes(wanted) || wanted.includes(other)
            ? 3
            : distance(wanted, other);
      return { candidate, near };
    })
    .filter(({ candidate, near }) => near <= Math.max(2, Math.ceil(Math.max(candidate.length, name.length) / 2)))
    .sort((a, b) => a.near - b.near || a.candidate.localeCompare(b.candidate))
    .slice(0, most)
    .map(({ candidate }) => candidate);
}
