/**
 * The names of the months, January first, in the languages that dates are read in; the SQL function `loom.month_of` has
 * the same.
 */
const monthNames: readonly (readonly string[])[] = [
  ['january', 'januar', 'jänner', 'janvier', 'enero', 'gennaio', 'januari'],
  ['february', 'februar', 'feber', 'février', 'febrero', 'febbraio', 'februari'],
  ['march', 'märz', 'mars', 'marzo', 'maart'],
  ['april', 'avril', 'abril', 'aprile'],
  ['may', 'mai', 'mayo', 'maggio', 'mei'],
  ['june', 'juni', 'juin', 'junio', 'giugno'],
  ['july', 'juli', 'juillet', 'julio', 'luglio'],
  ['august', 'août', 'agosto', 'augustus'],
  ['september', 'septembre', 'septiembre', 'settembre'],
  ['october', 'oktober', 'octobre', 'octubre', 'ottobre'],
  ['november', 'novembre', 'noviembre'],
  ['december', 'dezember', 'décembre', 'diciembre', 'dicembre'],
];

/** The letters they are written with. */
export const monthLetters = 'a-zäéû';

const known = new Map<string, number | null>();

/**
 * The month (1 to 12) that a word in small letters names or begins, with three letters at least; null where it is none,
 * or could be several.
 */
export function monthOf(word: string): number | null {
  const found = known.get(word);
  if (found !== undefined) return found;
  const months =
    word.length < 3
      ? []
      : monthNames.flatMap((names, index) => (names.some((name) => name.startsWith(word)) ? [index + 1] : []));
  const month = months.length === 1 ? (months[0] ?? null) : null;
  if (known.size < 1000) known.set(word, month);
  return month;
}
