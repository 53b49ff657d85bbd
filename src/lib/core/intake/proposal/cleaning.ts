import type { Cleaning, ColumnDecision, ColumnProfile, ColumnType, FoundLink } from '../intake';
import { severalAsked } from '../columns/severalValues';

/** What a column is taken as: as a person decided, else as its profile says. */
export const asDecided = (profile: ColumnProfile, { as }: ColumnDecision): ColumnType =>
  as === undefined || as === 'link' || as === 'skip' ? profile.type : as;

/** What is to be done to a column's texts, from what its profile found and the person decided. */
export function cleaningOf(
  profile: ColumnProfile,
  decision: ColumnDecision,
  link: { readonly splitOff?: boolean; readonly alike?: FoundLink['alike'] } = {},
): Cleaning | undefined {
  const { splitOff = false, alike = [] } = link;
  const kind = asDecided(profile, decision);
  const [unit] = profile.units;
  const joined =
    (splitOff || kind === 'option' || kind === 'options') &&
    profile.misspellings &&
    (splitOff || !decision.keepSpellings)
      ? // What was split off has its misspellings joined already.
        profile.misspellings.map(({ from, to }) => ({ from, to }))
      : [];
  const replace = [
    ...(decision.replace ?? []),
    ...[...joined, ...alike].filter(({ from }) => !decision.replace?.some((one) => one.from === from)),
  ];
  const clean: Cleaning = {
    ...(profile.cleaned ? { formula: profile.cleaned.formula } : {}),
    ...(profile.blankWords.length > 0 && !decision.keepBlanks
      ? { blanks: profile.blankWords.map(({ text }) => text) }
      : {}),
    ...(kind === 'number' && unit ? { unit: unit.unit } : {}),
    ...(kind === 'options' ? { separator: severalAsked(profile.several, profile.values).separator } : {}),
    ...(replace.length > 0 ? { replace } : {}),
  };
  return Object.keys(clean).length > 0 ? clean : undefined;
}
