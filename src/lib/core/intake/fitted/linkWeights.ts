import type { LinkFeature } from '../linkEvidence';

/**
 * What each thing that is seen of a possible link weighs: about the natural logarithm of how much likelier it is seen
 * of a link than of none.
 */
export const linkWeights: Readonly<Record<LinkFeature | 'prior', number>> = {
  prior: -1.82,
  unlikely: 0.31,
  several: 1.38,
  calledExactly: 3.87,
  calledAlike: 3.06,
  calledEnd: 3.85,
  calledPart: 0.56,
  calledBetter: -1.7,
  speaksElsewhere: -2.94,
  numbersOther: -2.71,
  numbersSilent: -3.07,
  metAll: 1.54,
  numbersMet: 0.32,
  metHalf: 0.48,
  metSome: 0.13,
  metFew: -1.71,
  missing: -5.54,
  missingCalled: -2.96,
  oneValue: -2.5,
  twoValues: -0.41,
  furtherKey: -2.85,
  ownKey: -2.03,
  ownNumbers: -4.04,
  ownKeyCalled: -1.11,
  ownRow: -8,
  playsPart: 3.94,
  ownSheetPart: 0,
  ownSheet: -1.54,
  measure: -2.13,
  numberToCode: -0.24,
};
