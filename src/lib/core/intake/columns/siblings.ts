import type { ColumnProfile } from '../intake';
import { namedAs, wordsOfName } from './columnWords';

/**
 * What columns are by those beside them: digits next to a column that is called after them with “name” behind it are
 * the code of what is named there; 0 or 1 alone is yes or no where other columns of the sheet are.
 */
export function amongSiblings(columns: readonly ColumnProfile[]): readonly ColumnProfile[] {
  const names = new Set(columns.map(({ name }) => wordsOfName(name).join(' ')));
  const flags = columns.filter(({ type, reasons }) => type === 'yesNo' && (reasons?.length ?? 0) > 0).length;
  return columns.map((profile) => {
    const { type, name, digits, filled, values } = profile;
    if (type !== 'number' || digits !== 0 || filled === 0 || !values.every(({ text }) => /^\d+$/.test(text)))
      return profile;
    const own = wordsOfName(name).join(' ');
    const named = own === '' ? undefined : namings.find((word) => names.has(`${own} ${word}`));
    if (named !== undefined) return taken(profile, 'text', `“${name} ${named}” stands beside it`);
    const isBit = values.length === 1 && ['0', '1'].includes(values[0]?.text ?? '');
    return isBit && flags > 1 && namedAs(name) !== 'measure'
      ? taken(profile, 'yesNo', `always ${values[0]?.text}, and ${flags} other columns are 0 or 1`)
      : profile;
  });
}

const namings = ['name', 'label', 'title', 'text', 'description', 'desc'];

const taken = (profile: ColumnProfile, type: 'text' | 'yesNo', says: string): ColumnProfile => ({
  ...profile,
  type,
  digits: null,
  plain: null,
  misfits: type === 'text' ? 0 : profile.misfits,
  evidence: type === 'text' ? `digits that are codes: ${says}` : says,
  reasons: [{ says, weight: 3 }],
});
