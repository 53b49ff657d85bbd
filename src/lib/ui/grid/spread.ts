import type { Field } from '$core/types/field';
import type { Model } from '$core/types/model';
import { groupSteps } from '$core/query/sortable';
import { valueTypeOf } from '$core/model/model';

/** A block of a summary as the API takes it. */
export type BlockAsked = Readonly<Record<string, unknown>>;

/** So many bars are told apart at a glance. */
const bars = 12;
const place = { x: 0, y: 0, w: 12, h: 4 };

/** Whether it can be shown how the values of a field are spread. */
export const canSpread = (model: Model, field: Field): boolean => groupSteps(model, field).length > 0;

/** What is asked first: the least and the greatest value, by which steps are chosen; nothing where there are no steps. */
export function endsAsked(table: string, field: Field, where: string): BlockAsked[] {
  if (!['number', 'date', 'timestamp'].includes(valueTypeOf(field).is)) return [];
  return ['min', 'max'].map((total) => ({
    kind: 'number',
    title: total,
    place,
    table,
    where,
    measures: [{ total, of: field.key }],
  }));
}

/** How wide steps are that part a range into about a dozen: 1, 2 or 5 times a power of ten. */
export function stepOf(least: number, greatest: number): number {
  const rough = (greatest - least) / bars;
  if (!(rough > 0)) return 1;
  const power = 10 ** Math.floor(Math.log10(rough));
  const factor = [1, 2, 5, 10].find((one) => one * power >= rough) ?? 10;
  return Number((factor * power).toPrecision(1));
}

/** What shows how values are spread: numbers in steps, days in stretches, all else by the values that are there most. */
export function spreadAsked(
  model: Model,
  table: string,
  field: Field,
  where: string,
  [least, greatest]: readonly unknown[],
): BlockAsked {
  const block = { kind: 'chart', title: field.label, place, table, where, measures: [{ total: 'count' }] };
  const { is } = valueTypeOf(field);
  if (is === 'number') {
    const width = stepOf(Number(least), Number(greatest));
    return { ...block, chart: 'distribution', groups: `${field.key}:${width}` };
  }
  if (is === 'date' || is === 'timestamp') {
    const days = (Date.parse(String(greatest)) - Date.parse(String(least))) / 86_400_000;
    const step = days > 1500 ? 'year' : days > 400 ? 'quarter' : days > 60 ? 'month' : days > 14 ? 'week' : 'day';
    return { ...block, chart: 'bars', groups: `${field.key}:${step}` };
  }
  const each = groupSteps(model, field).includes('each') ? ':each' : '';
  return { ...block, chart: 'bars', groups: `${field.key}${each}`, order: 'most', most: bars };
}
