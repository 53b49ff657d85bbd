import type { NoSettings } from '../types/field';
import { bad, type Result } from '../base/problem';
import type { ValueKind } from './kind';
import { canonicalNumber, compareNumbers, Exact, numberJson } from './number';
import { hundredths, printPercent, readPercent, takeFraction } from './percent';
import { numberText } from './numberText';

const whole = (fraction: Result<string>): Result<string> =>
  !fraction.ok || (new Exact(fraction.value).gte(0) && new Exact(fraction.value).lte(1))
    ? fraction
    : bad(`${printPercent(fraction.value, null)} is no share of a whole.`, 'Write 0 to 100 %.');

declare module '../types/field' {
  interface FieldTypes {
    /** A share done, from 0 to 100 %; held as a fraction, as percent is. */
    readonly progress: NoSettings;
  }
}

/** From 0 to 100 %, held as a fraction. */
export const progress: ValueKind<'progress'> = {
  text: (value, _, { locale }) => `${numberText(hundredths(value), null, locale)} %`,
  word: 'progress',
  mean: () => ({ kind: 'percent', digits: 1 }),
  valueType: () => ({ is: 'number' }),
  looksLike: 'numbers',
  measure: () => ({ is: 'percent', digits: 0 }),
  json: (value) => numberJson(String(value)),
  family: 'numeric',
  parse: (written, _, reading) => whole(readPercent(written, null, reading)),
  take: (value) => whole(takeFraction(value, null)),
  print: (value) => printPercent(value, null),
  compare: compareNumbers,
  sample: (random) => canonicalNumber(new Exact(Math.floor(random() * 21)).div(20)),
};
