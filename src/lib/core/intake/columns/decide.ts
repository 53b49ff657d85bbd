import type { ColumnType } from '../intake';
import { namedAs } from './columnWords';
import { meaningOf, type Meaning, type Reason } from './meaning';
import type { SeveralValues } from './severalValues';

/** What was counted of a column, for the decision what it is. */
export interface Counted {
  readonly name: string;
  readonly first: boolean;
  readonly filled: number;
  readonly blanks: number;
  /** Filled rows but for those whose text could stand for nothing. */
  readonly meant: number;
  /** Rows that each type would take. */
  readonly fits: Readonly<Record<ColumnType, number>>;
  /** Rows with a plain number, and of them those that are digits alone. */
  readonly numbers: number;
  readonly yesNoWords: number;
  readonly leadingZeros: boolean;
  readonly several: SeveralValues | null;
  /** All values were counted, in the order in which they were met; else the first ones. */
  readonly values: readonly { readonly text: string; readonly count: number }[];
  readonly allCounted: boolean;
  readonly unique: boolean;
  readonly longest: number;
  /** Texts that a type does not take, each with its rows, where all values were counted. */
  readonly restOf: (type: ColumnType) => readonly { readonly text: string; readonly count: number }[];
}

export interface Decided {
  readonly type: ColumnType;
  readonly reasons: readonly Reason[];
}

/** A type is proposed when it takes at least this share of what is filled. */
const typeShare = 0.9;
/** A smaller share is enough where all the rest says one of a few words, such as “still out” among days. */
const leastShare = 0.6;
const mostRestWords = 3;
/** At most this many different values make a list of options. */
const mostOptions = 40;
const longestOption = 40;
const leastForOptions = 10;

/** The type a column is taken for, from everything that went by, with what speaks for and against it. */
export function decide(counted: Counted): Decided {
  const { fits, several, filled, meant } = counted;
  const enough = (count: number) => meant > 0 && count > 0 && count >= meant * typeShare;
  const takes = (type: ColumnType) => enough(fits[type]) || takesButForWords(counted, type);
  const only = (type: ColumnType): Decided => ({ type, reasons: [] });
  if (enough(counted.yesNoWords) || isTicked(counted)) return only('yesNo');
  if (takes('date')) return only('date');
  const typed = (['percent', 'money', 'dateTime', 'duration', 'email', 'url', 'phone'] as const).find(takes);
  if (takes('number') && !(typed === 'money' && counted.numbers === 0))
    return counted.leadingZeros ? words(counted) : numbered(counted);
  if (typed) return only(typed);
  if (several && several.values.length <= mostOptions && filled >= leastForOptions) return only('options');
  return words(counted);
}

/** Few values that come again make options; everything else is text. */
function words({ allCounted, values, filled, longest }: Counted): Decided {
  const few =
    allCounted &&
    values.length <= mostOptions &&
    values.length * 5 <= filled &&
    longest <= longestOption &&
    filled >= leastForOptions;
  return { type: few ? 'option' : 'text', reasons: [] };
}

/** Numbers, or digits that are none: a code, one of a few kinds, yes or no. */
function numbered(counted: Counted): Decided {
  const { values, filled } = counted;
  const digits = values.filter(({ text }) => /^\d{1,18}$/.test(text));
  const ofDigits = digits.reduce((sum, { count }) => sum + count, 0);
  const known = counted.allCounted ? counted.numbers : values.reduce((sum, { count }) => sum + count, 0);
  const steps = codesInSteps(counted);
  if (steps) return { type: 'text', reasons: steps };
  if (digits.length === 0 || ofDigits < known * 0.98 || counted.numbers < counted.fits.number)
    return { type: 'number', reasons: [] };
  const { meaning, reasons } = meaningOf({ ...counted, values: digits });
  const types: Record<Meaning, ColumnType> = {
    measure: 'number',
    code: 'text',
    class: filled >= leastForOptions && values.length * 5 <= filled ? 'option' : 'text',
    flag: 'yesNo',
  };
  return { type: types[meaning], reasons };
}

/** Codes within codes, such as 11.01 and 11.10, of a column that is called one: all have as many digits behind the point. */
function codesInSteps({ name, values, numbers, allCounted }: Counted): readonly Reason[] | null {
  const decimals = new Set(values.map(({ text }) => /^\d+[.](\d+)$/.exec(text)?.[1]?.length ?? 0));
  const [after = 0] = decimals;
  if (namedAs(name) !== 'key' || decimals.size !== 1 || after === 0 || values.length < 3) return null;
  if (allCounted && values.reduce((sum, { count }) => sum + count, 0) < numbers) return null;
  return [
    { says: `“${name}” is the name of a code`, weight: 4 },
    { says: `all have ${after} digits behind the point`, weight: 1 },
  ];
}

/** Most texts are of the type, and the rest says one of a few words, again and again. */
function takesButForWords(counted: Counted, type: ColumnType): boolean {
  const { fits, meant, allCounted, values } = counted;
  if (!allCounted || fits[type] === 0 || fits[type] < meant * leastShare) return false;
  // A list of sizes may hold numbers and words side by side.
  if (type === 'number' && values.length <= 12) return false;
  const rest = counted.restOf(type);
  return rest.length <= mostRestWords && rest.every(({ text }) => !/^[+-]?\d/.test(text));
}

/** A tick, such as x, on some rows and nothing on the others. */
const isTicked = ({ values, allCounted, blanks, filled, name }: Counted): boolean =>
  allCounted &&
  values.length === 1 &&
  /^(?:x|✓|✔|yes|true|ja|oui)$/i.test(values[0]?.text ?? '') &&
  blanks * 4 >= filled &&
  namedAs(name) !== 'measure';
