import type { ColumnProfile, ColumnType, IntakeSheet } from './intake';
import { oneOf } from './naming';

/** Two columns that may be a link: where it comes from, and the key it may point at. */
export interface LinkCandidate {
  readonly from: { readonly sheet: number; readonly column: number };
  readonly to: { readonly sheet: number; readonly column: number };
}

/** A name as it is compared with others: small letters and digits, one of the things it is in the plural. */
export const bareName = (name: string): string => oneOf(name.toLowerCase().replace(/[^a-z0-9]/g, ''));
const bare = bareName;

/** Whether a column's name speaks of a sheet or of its key: `hive_no` of Hives, `hive code` of a key `code`. */
export function speaksOf(columnName: string, sheetName: string, keyName: string): boolean {
  const [column, sheet, key] = [bare(columnName), bare(sheetName), bare(keyName)];
  return (sheet.length > 2 && column.includes(sheet)) || (key.length > 2 && !generic.has(key) && column.includes(key));
}

/** Names that any sheet's key may have. */
const generic = new Set(['code', 'name', 'number', 'title', 'label', 'key', 'nummer', 'codice', 'date']);

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
  const candidates: LinkCandidate[] = [];
  sheets.forEach((target, to) => {
    for (const key of target.keys.slice(0, 3)) {
      const profile = target.columns[key];
      if (!profile || !mayLead(profile)) continue;
      sheets.forEach((source, from) =>
        source.columns.forEach((column, index) => {
          if ((from === to && index === key) || !mayLead(column)) return;
          candidates.push({ from: { sheet: from, column: index }, to: { sheet: to, column: key } });
        }),
      );
    }
  });
  return candidates;
}

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
      return wanted && one.filled > 0 && met ? [{ at, likely: name ? 0 : 1 }] : [];
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
