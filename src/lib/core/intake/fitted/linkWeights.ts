import type { LinkFeature } from '../linkEvidence';

/**
 * What each thing that is seen of a possible link weighs: about the natural logarithm of how much likelier it is seen
 * of a link than of none.
 */
export const linkWeights: Readonly<Record<LinkFeature | 'prior', number>> = {
  prior: -2.01,
  unlikely: 0.43,
  several: 1.22,
  calledExactly: 4.09,
  calledAlike: 2.74,
  calledEnd: 4.02,
  calledPart: 0.88,
  calledBetter: -1.86,
  speaksElsewhere: -2.51,
  numbersOther: -2.78,
  numbersSilent: -3.15,
  metAll: 1.16,
  numbersMet: 0.24,
  metHalf: 0.51,
  metSome: 0.51,
  metFew: -1.74,
  missing: -5.06,
  missingCalled: -3.09,
  oneValue: -2.5,
  twoValues: -0.48,
  furtherKey: -3.08,
  rowsAgree: 3.99,
  rowsDiffer: -1.75,
  ownKey: -1.71,
  ownNumbers: -4.05,
  ownKeyCalled: -1.24,
  ownRow: -8,
  playsPart: 3.89,
  ownSheetPart: -0.04,
  ownSheet: -1.54,
  measure: -2.06,
  numberToCode: -0.05,
};
