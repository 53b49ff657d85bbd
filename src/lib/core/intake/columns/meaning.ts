import { namedAs, type NamedAs } from './columnWords';

/**
 * What the whole numbers of a column are: something measured, which is summed and compared; a code, which only tells
 * things apart; a class, one of a few kinds; or a flag, yes or no.
 */
export type Meaning = 'measure' | 'code' | 'class' | 'flag';

/** One reason for or against, with its number in words. */
export interface Reason {
  readonly says: string;
  /** Above 0 for what was decided, below against it. */
  readonly weight: number;
}

/** A column of which nearly all texts are digits and nothing else. */
export interface WholeNumbers {
  readonly name: string;
  /** The first column of its sheet. */
  readonly first: boolean;
  readonly filled: number;
  readonly blanks: number;
  /** Different values, up to those that were counted, in the order in which they were met. */
  readonly values: readonly { readonly text: string; readonly count: number }[];
  /** Every row has a value of its own. */
  readonly unique: boolean;
}

/** Of such a name 0 and 1 are two kinds, and neither is a no. */
const kindsOfTwo = /(?:^|[^a-z])(?:sex|gender|geschlecht|sexo|sexe|sesso|type|kind|class|category|(?:sub)?group)$/i;
const most = 10_000;
/** So many different values are classes at the most. */
const mostClasses = 12;

/**
 * Decides by the weight of the evidence, as a naive Bayes does with features that are told apart by eye (the features
 * of columns are those of Hulsebos et al. 2019, section 3: what values look like, how they are spread, what the name
 * says). Each weight is about the natural logarithm of how much likelier the feature is among codes than among
 * measures, fitted by hand on the practice half of tests/truth.
 */
export function meaningOf(column: WholeNumbers): { readonly meaning: Meaning; readonly reasons: readonly Reason[] } {
  const { name, values, filled, blanks } = column;
  const called = namedAs(name);
  const numbers = values.map(({ text }) => Number(text));
  const isBit = values.every(({ text }) => text === '0' || text === '1');
  if (isBit && called !== 'measure' && !kindsOfTwo.test(name) && (values.length === 2 || isTick(column)))
    return {
      meaning: 'flag',
      reasons: [
        {
          says: values.length === 2 ? 'every value is 0 or 1' : `1 on ${filled} rows, blank on ${blanks}`,
          weight: 3,
        },
      ],
    };
  const reasons = codeReasons(column, numbers, called);
  const weight = reasons.reduce((sum, reason) => sum + reason.weight, -1.5);
  // Kinds are numbered one after the other; what goes up in steps is measured.
  const isNumbered = Math.max(...numbers) <= values.length * 2 + 10;
  if (called === 'class' && values.length <= mostClasses && isNumbered && weight < 4) {
    const says = `called as a kind of thing, with ${values.length} different values`;
    return { meaning: 'class', reasons: [{ says, weight: 2 }] };
  }
  if (weight > 0) return { meaning: 'code', reasons };
  return { meaning: 'measure', reasons: reasons.map((reason) => ({ ...reason, weight: -reason.weight })) };
}

/** A tick: 1 on some rows, nothing on the others. */
const isTick = ({ values, blanks, filled }: WholeNumbers): boolean =>
  values[0]?.text === '1' && blanks >= filled && filled > 0;

function codeReasons(
  { name, first, values, unique, filled }: WholeNumbers,
  numbers: readonly number[],
  called: NamedAs,
): Reason[] {
  const reasons: Reason[] = [];
  const say = (weight: number, says: string) => reasons.push({ weight, says });
  if (called === 'key') say(4, `“${name}” is the name of a code`);
  if (called === 'measure') say(-4, `“${name}” is the name of something measured`);
  const lengths = new Map<number, number>();
  for (const { text } of values) lengths.set(text.length, (lengths.get(text.length) ?? 0) + 1);
  const [length = 0, ofLength = 0] = [...lengths].reduce((a, b) => (b[1] > a[1] ? b : a), [0, 0]);
  const isYears = numbers.every((number) => number >= 1500 && number <= 2200);
  // What is measured within a narrow range has one length by itself; a code has it over its whole range, or comes again.
  const isWide = Math.max(...numbers) >= 4 * Math.min(...numbers);
  const comesAgain = values.length * 3 <= filled;
  if (ofLength === values.length && values.length >= 5 && (isWide || comesAgain) && !isYears)
    say(length >= 8 ? 4 : length >= 5 ? 2 : length >= 3 ? 1 : 0, `all have ${length} digits`);
  if (length >= 11) say(2, 'more digits than anything counted has');
  const checked = checkDigits(values.map(({ text }) => text));
  if (checked) say(5, checked);
  const round = numbers.filter((number) => number !== 0 && number % 100 === 0).length / Math.max(1, numbers.length);
  if (values.length >= 20 && round > 0.1) say(-2, `${Math.round(round * 100)} of 100 are round`);
  if (unique && isRunning(numbers)) say(first ? 3 : 1.5, 'each row has the next number');
  else if (unique && first && values.length >= 10 && !isYears) say(1, 'the first column, with no value twice');
  if (isYears && values.length > 1) say(-3, 'all could be years');
  return reasons;
}

/** Numbers that go up by one from row to row, with few gaps. */
function isRunning(numbers: readonly number[]): boolean {
  const steps = numbers.slice(1, most).map((number, at) => number - (numbers[at] ?? 0));
  return numbers.length >= 5 && steps.filter((step) => step === 1).length >= steps.length * 0.9;
}

const alternating = (digits: string, weights: readonly number[]): number =>
  [...digits].reduce((sum, digit, at) => sum + Number(digit) * (weights[at % weights.length] ?? 1), 0);

/** Numbers whose last digit checks the others: of goods and books (GS1, ISO 2108) by the sum of 1 and 3 in turn. */
function checkDigits(texts: readonly string[]): string | null {
  const looked = texts.slice(0, 300);
  if (looked.length < 5) return null;
  const good = looked.filter((text) => [8, 12, 13, 14].includes(text.length) && isGs1(text)).length;
  return good >= looked.length * 0.95 ? 'the last digit checks the others' : null;
}

const isGs1 = (text: string): boolean => alternating([...text].reverse().join(''), [1, 3]) % 10 === 0;
