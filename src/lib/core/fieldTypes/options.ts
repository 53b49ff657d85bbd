import { bad, good, type Result } from '../base/problem';
import type { Scalar } from '../types/expression';
import type { TypeOf, OptionList } from '../types/field';
import { option, checkOptions, loses } from './option';
import { plainReading, type ValueKind } from './kind';
import { compareCodePoints } from './text';

/** The ids of a value of several options. */
export const optionIds = (value: Scalar): string[] => (value === null || value === '' ? [] : String(value).split(','));

/** Ids as one value: each once, sorted, so that equal sets are equal values. */
export const joinedIds = (ids: readonly string[]): Scalar =>
  ids.length === 0 ? null : [...new Set(ids)].sort(compareCodePoints).join(',');

/** The labels in the order of the list. */
export const optionLabels = (value: Scalar, { options }: TypeOf<'options'>): string[] => {
  const ids = new Set(optionIds(value));
  return [...options.filter(({ id }) => ids.delete(id)).map(({ label }) => label), ...ids];
};

function settled(words: readonly unknown[], type: TypeOf<'options'>): Result<Scalar> {
  const ids: string[] = [];
  for (const word of words) {
    const found =
      typeof word === 'string'
        ? option.parse(word.trim(), { ...type, kind: 'option' }, plainReading)
        : bad('This is no option.', 'Write its label.');
    if (!found.ok) return found;
    ids.push(String(found.value));
  }
  return good(joinedIds(ids));
}

declare module '../types/field' {
  interface FieldTypes {
    readonly options: OptionList;
  }
}

/**
 * Several of a list: written with semicolons or commas between. A label that has a comma itself is found whole first.
 */
export const options: ValueKind<'options'> = {
  word: 'several options',
  valueType: (_, id) => ({ is: 'options', field: id }),
  looksLike: 'words',
  check(type, label) {
    const parted = type.options.find((one) => one.label.includes(';'));
    return parted
      ? bad(
          `The option “${parted.label}” of “${label}” holds a semicolon, which stands between several.`,
          'Write it otherwise.',
        )
      : checkOptions(type.options, label);
  },
  narrows: (old, now) => loses(old.options, now.options),
  json: optionLabels,
  parse(written, type) {
    const whole = option.parse(written, { ...type, kind: 'option' }, plainReading);
    if (whole.ok) return whole;
    const separator = written.includes(';') ? ';' : ',';
    return settled(
      written
        .split(separator)
        .map((word) => word.trim())
        .filter(Boolean),
      type,
    );
  },
  take(value, type) {
    if (Array.isArray(value)) return settled(value, type);
    return typeof value === 'string'
      ? options.parse(value.trim(), type, plainReading)
      : bad('This is no list of options.', 'Write their labels as an array.');
  },
  print: (value, type) => optionLabels(value, type).join('; '),
  compare: (a, b, type) => compareCodePoints(optionLabels(a, type).join(', '), optionLabels(b, type).join(', ')),
  sample: (random, type) => joinedIds(type.options.filter(() => random() < 0.4).map(({ id }) => id)),
};
