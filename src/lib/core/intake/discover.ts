import { calledAfter, speaksOf, tellsMore, type Called } from './calledAfter';
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
  const keys = sheets.map(({ keys: own, columns }) =>
    own.slice(0, 3).filter((key) => columns[key] && mayLead(columns[key])),
  );
  return sheets.flatMap((source, from) =>
    source.columns.flatMap((column, index) => {
      if (!mayLead(column)) return [];
      const callings = sheets.map((target, to) => {
        const others = (keys[to] ?? []).filter((key) => from !== to || key !== index);
        return bestCalled(column.name, source.name, target, others);
      });
      return keys.flatMap((own, to) =>
        own.flatMap((key) =>
          from === to && index === key
            ? []
            : [
                {
                  from: { sheet: from, column: index },
                  to: { sheet: to, column: key },
                  ...calledAmong(callings, sheets, to, calledBy(column.name, source.name, sheets[to], key)),
                },
              ],
        ),
      );
    }),
  );
}

const calledBy = (column: string, sheet: string, target: CalledSheet | undefined, key: number): Called =>
  calledAfter(column, sheet, { things: target?.name ?? '', key: target?.columns[key]?.name ?? '' });

type CalledSheet = { readonly name: string; readonly columns: readonly { readonly name: string }[] };

/** How a column is called beside a sheet, by whichever of its keys that is the most telling. */
const bestCalled = (column: string, sheet: string, target: CalledSheet, keys: readonly number[]): Called =>
  keys
    .map((key) => calledBy(column, sheet, target, key))
    .reduce<Called>((best, one) => (tellsMore(one, best) ? one : best), 'other');

function calledAmong(
  callings: readonly Called[],
  sheets: readonly CalledSheet[],
  to: number,
  called: Called,
): Pick<LinkCandidate, 'called' | 'better'> {
  const best = callings.reduce((at, one, other) => (tellsMore(one, callings[at] ?? 'other') ? other : at), to);
  const isBetter = best !== to && tellsMore(callings[best] ?? 'other', called);
  return { called, better: isBetter ? (sheets[best]?.name ?? null) : null };
}

/** A candidate by itself, beside no other sheets. */
export const candidateBetween = (
  sheets: readonly CalledSheet[],
  from: LinkCandidate['from'],
  to: LinkCandidate['to'],
): LinkCandidate => {
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  return {
    from,
    to,
    called: calledBy(source?.columns[from.column]?.name ?? '', source?.name ?? '', target, to.column),
    better: null,
  };
};

/** A link is proposed from this share of matching rows on. */
export const leastShare = 0.6;

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
      return wanted && mayLead(one) && mayLead(wanted) && met ? [{ at, likely: name ? 0 : 1 }] : [];
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
