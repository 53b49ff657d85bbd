import { dyes, type Dye, type FieldType } from '../../types/field';
import type { AskedBlock, ChartKind, ShownAs } from '../../types/summary';
import type { SortStep } from '../../types/view';
import { numberOf, type AskedData, type DataRow } from '../data';
import { addsUp } from '../asked';
import { plusSpans } from '../periods';

/** How values and labels read to whoever looks. */
export interface Reading {
  readonly value: (value: unknown, type: FieldType) => string;
  /** A day that begins a stretch: `May 2026`, `week 21, 2026`. */
  readonly stretch: (day: string, by: SortStep) => string;
  /** The same without its year, where two years stand beside each other. */
  readonly stretchOfYear: (day: string, by: SortStep) => string;
}

/** One place along a chart: what its records have in common. */
interface Category {
  readonly values: readonly unknown[];
  readonly label: string;
  /** It stands for several groups: no records are shown for it. */
  readonly others?: true;
}

/** One bar, point or slice for each category. */
export interface Series {
  readonly label: string;
  readonly dye: Dye;
  /** Which of the patterns that stand beside the colours. */
  readonly pattern: number;
  readonly values: readonly (number | null)[];
  /** As they are read. */
  readonly texts: readonly string[];
  /** It is what the period is held against. */
  readonly against: boolean;
  /** It is a mark that others are held against. */
  readonly mark: boolean;
  /** The value of the second group; undefined where there is none. */
  readonly of?: unknown;
}

/** A chart as it is drawn and read out: categories, and a series of values along them. */
export interface ChartSeries {
  readonly categories: readonly Category[];
  readonly series: readonly Series[];
  /** In words, what is left out. */
  readonly leftOut: readonly string[];
}

/** More series than can be told apart. */
const mostSeries = 8;
/** More categories than can be read. */
const mostCategories = 120;
/** A calendar of two years: the weeks of more cannot be told apart. */
const mostDays = 731;
/** More empty stretches than are filled in between. */
const mostFilled = 800;

const keyOf = (value: unknown): string =>
  JSON.stringify(typeof value === 'object' && value !== null && 'id' in value ? value.id : value);

/** Names the first group of a row; the one of all others apart from that of records without a value. */
const firstOf = ({ values, others }: DataRow): string => (others === undefined ? keyOf(values[0]) : 'others');

const isSpan = (by: ShownAs['by']): by is Exclude<SortStep, 'each'> => typeof by === 'string' && by !== 'each';

/** A group's value as it is read. */
export function groupText(value: unknown, { type, by, label }: ShownAs, reading: Reading): string {
  if (value === null || value === undefined) return `no ${label.toLowerCase()}`;
  if (isSpan(by)) return reading.stretch(String(value), by);
  if (typeof by === 'number') {
    // What a step holds goes up to the next one, and not as far as it.
    const unit = 'unit' in type && type.unit ? ` ${type.unit}` : '';
    return `${Number(value)} – ${Number((Number(value) + by).toFixed(12))}${unit}`;
  }
  if (typeof value === 'object' && 'title' in value) return String(value.title);
  if (typeof value === 'object' && 'name' in value) return String(value.name);
  return reading.value(value, type);
}

/** The stretches between the first and the last, those without records included. */
function filledBetween(values: readonly unknown[], by: ShownAs['by']): readonly unknown[] | null {
  const [first] = values;
  const last = values.at(-1);
  const all: unknown[] = [];
  if (isSpan(by))
    for (let day = String(first); day <= String(last); day = plusSpans(by, day, 1)) {
      if (all.length >= mostFilled) return null;
      all.push(day);
    }
  else if (typeof by === 'number')
    for (let step = Math.round(Number(first) / by); step <= Math.round(Number(last) / by); step++) {
      if (all.length >= mostFilled) return null;
      all.push(Number((step * by).toFixed(12)));
    }
  return all;
}

/** What a chart draws of the data of its block. */
export function seriesOf(
  block: Pick<AskedBlock, 'measures' | 'groups'> & { readonly chart: ChartKind },
  data: AskedData,
  reading: Reading,
): ChartSeries {
  const [first, second] = data.groups;
  const leftOut: string[] = [];
  if (!first) return { categories: [], series: [], leftOut };
  let firsts = data.rows.filter(({ level }) => level === 1);
  const isScale = isSpan(first.by) || typeof first.by === 'number';
  if (isScale) {
    // A record without a day stands nowhere along a line of days.
    const blank = firsts.find(({ values, others }) => values[0] === null && others === undefined);
    if (blank)
      leftOut.push(
        `${blank.count.toLocaleString('en')} ${blank.count === 1 ? 'record' : 'records'} without ${first.label}`,
      );
    firsts = firsts.filter((row) => row !== blank);
    if (block.chart === 'calendar') {
      const latest = firsts.reduce((day, { values }) => (String(values[0]) > day ? String(values[0]) : day), '');
      const since = latest === '' ? '' : plusSpans('day', latest, -mostDays);
      const shown = firsts.filter(({ values }) => String(values[0]) >= since);
      const before = firsts.length - shown.length;
      if (before > 0) leftOut.push(`${before.toLocaleString('en')} earlier days, as a calendar has room for two years`);
      firsts = shown;
    }
  }
  const rowOf = new Map(firsts.map((row) => [firstOf(row), row]));
  const known = firsts.filter(({ others }) => others === undefined).map(({ values }) => values[0]);
  const scale = isScale ? known.toSorted(compare) : known;
  const along = (isScale && scale.length > 0 ? filledBetween(scale, first.by) : null) ?? scale;
  // What stands for two years at once is called by neither.
  const isYears = data.period?.against != null && data.period.shift === '12 months';
  const labelOf = (value: unknown): string =>
    isYears && isSpan(first.by) ? reading.stretchOfYear(String(value), first.by) : groupText(value, first, reading);
  const others = rowOf.get('others');
  const all: Category[] = [
    ...along.map((value) => ({ values: [value], label: labelOf(value) })),
    ...(others ? [{ values: [null], label: `${others.others} others`, others: true as const }] : []),
  ];
  const categories = block.chart === 'calendar' ? all : all.slice(0, mostCategories);
  if (categories.length < all.length)
    leftOut.push(
      `${(all.length - categories.length).toLocaleString('en')} of ${all.length.toLocaleString('en')} values of ${first.label}`,
    );
  if (data.cut) leftOut.push('all other groups, as there are too many: take a coarser step or a filter');
  const rowAt = ({ values, others: isOthers }: Category) => rowOf.get(isOthers ? 'others' : keyOf(values[0]));
  const isDrawn = (row: DataRow) => rowOf.has(firstOf(row));
  return {
    categories,
    series: second ? seriesBySecond() : seriesByMeasure(),
    leftOut,
  };

  /** Nothing in a stretch adds up to nothing; what does not add up is not known there. */
  function at(row: Pick<DataRow, 'totals'> | undefined, measure: number) {
    const value = row ? numberOf(row.totals[measure]) : null;
    const wanted = block.measures[measure];
    return value ?? (wanted && addsUp(wanted) ? 0 : null);
  }
  function textOf(value: unknown, measure: number): string {
    const type = data.measures[measure]?.type ?? { kind: 'number', digits: null };
    return value === null || value === undefined ? '–' : reading.value(value, type);
  }

  function one(
    label: string,
    place: number,
    rows: readonly (Pick<DataRow, 'totals'> | undefined)[],
    measure: number,
    more: Partial<Series> = {},
  ): Series {
    const values = rows.map((row) => at(row, measure));
    return {
      label,
      dye: dyes[place % dyes.length] ?? 'woad',
      pattern: place,
      values,
      // Digits that no number of JSON has, and durations, are read as they came.
      texts: values.map((value, index) => textOf(rows[index]?.totals[measure] ?? value, measure)),
      against: false,
      mark: false,
      ...more,
    };
  }

  function seriesByMeasure(): Series[] {
    const rows = categories.map(rowAt);
    return block.measures.flatMap((measure, index) => {
      const label = data.measures[index]?.label ?? '';
      const now = data.period?.against ? `${label}, ${data.periodWords}` : label;
      const mine = one(now, index, rows, index, measure.mark ? { mark: true } : {});
      if (!data.period?.against || measure.mark) return [mine];
      const before = rows.map((row) => row?.against);
      return [one(`${label}, ${data.againstWords}`, index, before, index, { against: true }), mine];
    });
  }

  function seriesBySecond(): Series[] {
    const inner = data.rows.filter((row) => row.level === 2 && isDrawn(row));
    const byValue = new Map<string, { value: unknown; rows: Map<string, DataRow>; size: number }>();
    for (const row of inner) {
      const key = keyOf(row.values[1]);
      const found = byValue.get(key) ?? { value: row.values[1], rows: new Map<string, DataRow>(), size: 0 };
      found.rows.set(firstOf(row), row);
      found.size += Math.abs(at(row, 0) ?? 0);
      byValue.set(key, found);
    }
    // In the order of the groups, those that count least left out where they are too many.
    const allOf = [...byValue.values()];
    const kept = new Set([...allOf].sort((a, b) => b.size - a.size).slice(0, mostSeries));
    const shown = allOf.filter((each) => kept.has(each));
    if (second && isSpan(second.by)) shown.sort((a, b) => compare(a.value, b.value));
    if (shown.length < allOf.length && second)
      leftOut.push(`${allOf.length - shown.length} of ${allOf.length} values of ${second.label}, the smallest ones`);
    return shown.flatMap(({ value, rows }, place) => {
      const label = second ? groupText(value, second, reading) : '';
      const along = categories.map(({ values, others: isOthers }) => rows.get(isOthers ? 'others' : keyOf(values[0])));
      const mine = one(data.period?.against ? `${label}, ${data.periodWords}` : label, place, along, 0, { of: value });
      if (!data.period?.against) return [mine];
      const before = along.map((row) => row?.against);
      return [one(`${label}, ${data.againstWords}`, place, before, 0, { against: true, of: value }), mine];
    });
  }
}

/** Days and numbers in their order; blank last. */
function compare(one: unknown, other: unknown): number {
  if (one === null || other === null) return one === other ? 0 : one === null ? 1 : -1;
  if (typeof one === 'number' && typeof other === 'number') return one - other;
  return String(one) < String(other) ? -1 : String(one) > String(other) ? 1 : 0;
}
