import type { Scalar } from '../types/expression';
import { bad, good, type Result } from '../base/problem';
import { dayOf, instantOf } from './dateTime';
import { filesOf, filesValue } from './files';
import { plainReading, type Reading } from './kind';
import { moneyParts } from './money';
import { joinedIds, optionIds } from './options';
import { convertibleText, enteredKind, parseValue, takeValue, type EnteredKind, type EnteredType } from './registry';

/**
 * How values of one kind become another: `text` prints the value and reads it again; `value` keeps what is held where
 * the other kind's limits allow it; `listed` goes by the identity of options; `oneToMany`, `manyToOne` turn one option
 * into a set and back, likewise; `flag` counts yes as 1; `dayStart`, `dayOf` go by the workspace's zone; `amount` drops
 * a currency that the field names itself, `currency` adds it; `never`: no value of the one says one of the other.
 */
export type ConversionWay =
  | 'text'
  | 'value'
  | 'listed'
  | 'oneToMany'
  | 'manyToOne'
  | 'flag'
  | 'dayStart'
  | 'dayOf'
  | 'amount'
  | 'currency'
  | 'pictures'
  | 'never';

type Row = Partial<Record<EnteredKind, ConversionWay>>;

const familyOf = (kind: EnteredKind) => enteredKind(kind).family;

/** Pairs that go neither by text nor by their families. Links change by plans of their own (see linkPlans). */
const matrix: Partial<Record<EnteredKind, Row>> = {
  money: { money: 'currency' },
  yesNo: { number: 'flag' },
  date: { dateTime: 'dayStart' },
  dateTime: { date: 'dayOf' },
  option: { option: 'listed', options: 'oneToMany' },
  options: { option: 'manyToOne', options: 'listed' },
  files: { pictures: 'pictures', files: 'value' },
  pictures: { files: 'value', pictures: 'value' },
};

/** What has no text, or whose text says nothing to others. */
const mute: ReadonlySet<EnteredKind> = new Set(['link', 'member', 'files', 'pictures']);

/** The way from one kind to another. */
export function conversionWay(from: EnteredKind, to: EnteredKind): ConversionWay {
  const way = matrix[from]?.[to];
  if (way) return way;
  const [old, now] = [familyOf(from), familyOf(to)];
  if (old === 'numeric' && now === 'numeric') return 'value';
  if (old === 'numeric' && to === 'money') return 'currency';
  if (from === 'money' && now === 'numeric') return 'amount';
  if (from === to && (from === 'link' || from === 'member')) return 'value';
  // The names of files, and of people, are text.
  if ((from === 'files' || from === 'pictures') && now === 'textual') return 'text';
  if (from === 'member' && (to === 'text' || to === 'longText')) return 'text';
  return mute.has(from) || mute.has(to) ? 'never' : 'text';
}

/**
 * The value as the other type; where it does not fit, why. `reading` settles how texts are read and the zone of days;
 * `merge` says which options become which, or which option a text becomes.
 */
export function convertValue(
  value: Scalar,
  from: EnteredType,
  to: EnteredType,
  reading: Reading = plainReading,
  merge: Readonly<Record<string, string>> = {},
): Result<Scalar> {
  if (value === null) return good(null);
  const way = conversionWay(from.kind, to.kind);
  switch (way) {
    case 'value':
      return takeValue(from.kind === 'files' || from.kind === 'pictures' ? filesOf(value) : value, to);
    case 'flag':
      return takeValue(value ? '1' : '0', to);
    case 'currency': {
      const { amount, currency } =
        from.kind === 'money' && from.currency === null
          ? moneyParts(value)
          : { amount: String(value), currency: from.kind === 'money' ? from.currency : null };
      return takeValue({ amount, currency }, to);
    }
    case 'amount': {
      const amount = from.kind === 'money' && from.currency === null ? moneyParts(value).amount : String(value);
      return takeValue(amount, to);
    }
    case 'listed':
    case 'oneToMany':
    case 'manyToOne': {
      const list = to.kind === 'option' || to.kind === 'options' ? to.options : [];
      const ids = optionIds(value).map((id) => merge[id] ?? id);
      if (!ids.every((id) => list.some((one) => one.id === id)))
        return bad('An option of this value is no longer in the list.');
      if (to.kind === 'option' && ids.length !== 1) return bad(`${ids.length} options; one is the most here.`);
      return good(joinedIds(ids));
    }
    case 'dayStart':
      return inCalendar(instantOf(`${String(value)}T00:00:00`, reading.zone ?? 'UTC'));
    case 'dayOf':
      return inCalendar(dayOf(value, reading.zone ?? 'UTC'));
    case 'pictures': {
      const files = filesOf(value);
      return files.every(({ type }) => type.startsWith('image/'))
        ? good(filesValue(files))
        : bad('Not all of these files are pictures.');
    }
    case 'never':
      return bad(`No ${from.kind} says a ${to.kind}.`);
    case 'text':
      return parseValue(convertibleText(value, from, reading), withSpellings(to, merge), reading);
  }
}

/** A list with further texts that say one of its options: `merge` gives the option's identity for each. */
export function withSpellings(type: EnteredType, merge: Readonly<Record<string, string>>): EnteredType {
  if (type.kind !== 'option' && type.kind !== 'options') return type;
  const spelled = Object.entries(merge).flatMap(([label, id]) =>
    type.options.filter((option) => option.id === id).map((option) => ({ ...option, label })),
  );
  return spelled.length === 0 ? type : { ...type, options: [...type.options, ...spelled] };
}

const inCalendar = (value: Scalar): Result<Scalar> =>
  value === null ? bad('In this time zone it is outside the years 1 to 9999.') : good(value);
