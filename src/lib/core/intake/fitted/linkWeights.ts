import type { LinkFeature } from '../linkEvidence';

/**
 * What each thing that is seen of a possible link weighs: about the natural logarithm of how much likelier it is seen
 * of a link than of none.
 */
export const linkWeights: Readonly<Record<LinkFeature | 'prior', number>> = {
  prior: -1.95,
  unlikely: 0.53,
  samePattern: 3.14,
  several: 1.04,
  calledExactly: 4.24,
  calledAlike: 2.68,
  calledEnd: 3.93,
  calledPart: 0.49,
  calledBetter: -1.97,
  speaksElsewhere: -2.52,
  numbersOther: -2.99,
  numbersSilent: -3.17,
  metAll: 0.73,
  numbersMet: 0.21,
  metHalf: 0.57,
  metSome: 0.55,
  metFew: -1.76,
  missing: -5.07,
  missingCalled: -3.12,
  oneValue: -2.5,
  twoValues: -0.48,
  furtherKey: -3.24,
  rowsAgree: 3.99,
  rowsDiffer: -2.08,
  ownKey: -1.69,
  ownNumbers: -4.06,
  ownKeyCalled: -1.44,
  ownRow: -8,
  playsPart: 3.61,
  ownSheetPart: -0.41,
  ownSheet: -1.44,
  measure: -2.07,
  numberToCode: -0.05,
};
