import { calledAfter, calledByWords, speaksOf, tellingWords, tellsMore, type Called } from './calledAfter';
import type { ColumnProfile, ColumnType, IntakeSheet } from './intake';
import { oneOf } from './naming';

/** Two columns that may be a link: where it comes from, and the key it may point at. */
export interface LinkCandidate {
  readonly from: { readonly sheet: number; readonly column: number };
  readonly to: { readonly sheet: number; readonly column: number };
  /** How the column is called beside the sheet that it may point at. */
  readonly called: Called;
  /** The name of another sheet that it is called after rather than this one. */
  readonly better: string | null;
}

/** A name as it is compared with others: small letters and digits, one of the things it is in the plural. */
export const bareName = (name: string): string => oneOf(name.toLowerCase().replace(/[^a-z0-9]/g, ''));
const bare = bareName;

/** Types that no key has, and whose columns lead to none. */
const leadsNowhere: ReadonlySet<ColumnType> = new Set([
  'date',
  'dateTime',
  'duration',
  'yesNo',
  'percent',
  'money',
  'url',
]);

/** Numbers with decimals count or measure. */
const mayLead = ({ type, digits, filled }: ColumnProfile): boolean =>
  filled > 0 && !leadsNowhere.has(type) && !(type === 'number' && (digits ?? 0) > 0);

/**
 * Pairs worth testing on all rows: a column that may lead somewhere, and each of the likeliest keys of every sheet.
 * Whether what is found there means anything is weighed then (`linkEvidence.ts`). The test itself, a single pass over
 * the distinct values of both columns, is the server's.
 */
export function linkCandidates(sheets: readonly IntakeSheet[]): LinkCandidate[] {
  const targets = sheets.map(({ name, keys, columns }) => ({
    things: tellingWords(name),
    keys: keys
      .slice(0, 3)
      .flatMap((key) =>
        columns[key] && mayLead(columns[key]) ? [{ column: key, words: tellingWords(columns[key].name) }] : [],
      ),
  }));
  return sheets.flatMap((source, from) =>
    source.columns.flatMap((profile, column) => {
      if (!mayLead(profile)) return [];
      const own = tellingWords(profile.name);
      const callings = targets.flatMap(({ things, keys }, to) =>
        keys.flatMap((key) =>
          from === to && column === key.column
            ? []
            : [
                {
                  to: { sheet: to, column: key.column },
                  called: calledByWords(own, targets[from]?.things ?? [], { things, key: key.words }),
                },
              ],
        ),
      );
      return callings.map(({ to, called }) => {
        const best = callings.reduce((one, other) => (tellsMore(other.called, one.called) ? other : one), {
          to,
          called,
        });
        const better = best.to.sheet === to.sheet ? null : (sheets[best.to.sheet]?.name ?? null);
        return { from: { sheet: from, column }, to, called, better };
      });
    }),
  );
}

/** A candidate by itself, beside no other sheets. */
export const candidateBetween = (
  sheets: readonly { readonly name: string; readonly columns: readonly { readonly name: string }[] }[],
  from: LinkCandidate['from'],
  to: LinkCandidate['to'],
): LinkCandidate => {
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const things = { things: target?.name ?? '', key: target?.columns[to.column]?.name ?? '' };
  const called = calledAfter(source?.columns[from.column]?.name ?? '', source?.name ?? '', things);
  return { from, to, called, better: null };
};

/** A link is proposed from this share of matching rows on. */
export const leastShare = 0.6;

/** Beside another column a day tells records as well, such as those of a station. */
const mayTell = (profile: ColumnProfile): boolean => profile.type === 'date' || mayLead(profile);

/**
 * Two columns of a sheet that may tell the records of another one by both columns of its key: each has one that is
 * called alike or speaks of it, or holds values that are met there.
 */
export function pairCandidates(
  source: IntakeSheet,
  target: IntakeSheet,
  key: readonly [number, number],
): { readonly columns: readonly [number, number] }[] {
  const able = key.map((column) => {
    const wanted = target.columns[column];
    const known = new Set([...(wanted?.values.map(({ text }) => text) ?? []), ...(wanted?.samples ?? [])]);
    return source.columns.flatMap((one, at) => {
      const name = bare(one.name) === bare(wanted?.name ?? '') || speaksOf(one.name, target.name, wanted?.name ?? '');
      const met = [...one.samples, ...one.values.map(({ text }) => text)].some((text) => known.has(text));
      return wanted && mayTell(one) && mayTell(wanted) && met ? [{ at, likely: name ? 0 : 1 }] : [];
    });
  });
  const [first = [], second = []] = able;
  return first
    .flatMap((a) =>
      second.flatMap((b) => (a.at === b.at ? [] : [{ columns: [a.at, b.at] as const, likely: a.likely + b.likely }])),
    )
    .sort((a, b) => a.likely - b.likely)
    .slice(0, 6);
}
