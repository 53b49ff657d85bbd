/**
 * What each thing that is seen of a possible link weighs: about the natural logarithm of how much likelier it is seen
 * of a link than of none.
 */
const fitted = {
  prior: -1.92,
  unlikely: 0.63,
  samePattern: 3.05,
  several: 1.01,
  calledExactly: 4.8,
  calledAlike: 3.5,
  calledEnd: 3.71,
  calledPart: 0.47,
  calledBetter: -1.08,
  speaksElsewhere: -2.92,
  numbersOther: -2.98,
  numbersSilent: -3.07,
  metAll: 2.13,
  numbersMet: 0.35,
  metHalf: 1.02,
  metSome: 0.49,
  metFew: -2.43,
  missing: -5.26,
  missingCalled: -2.5,
  oneValue: -2.52,
  twoValues: -0.6,
  furtherKey: -1.48,
  rowsAgree: 3.99,
  rowsDiffer: -2.86,
  ownKey: -1.68,
  ownNumbers: -4.05,
  ownKeyCalled: -0.49,
  ownRow: -8.01,
  playsPart: 3.55,
  ownSheetPart: -0.36,
  ownSheet: -1.5,
  measure: -2.07,
  numberToCode: -0.21,
};

export const linkWeights: Readonly<Record<keyof typeof fitted, number>> = fitted;
/** What may be seen of a possible link. */
export type LinkFeature = Exclude<keyof typeof fitted, 'prior'>;
