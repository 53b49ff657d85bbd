import { describe, expect, test } from 'vitest';
import { dyes, type Dye } from '../../types/field';
import { chartKinds, type ChartKind, type Measure, type ShownAs } from '../../types/summary';
import { csvOf, tableOf } from '../csv';
import { changeOf, numberOf, shortened, type AskedData, type DataRow } from '../data';
import { chartOption, type ChartAsked, type ChartLook } from './option';
import { seriesOf, type Reading } from './series';

const reading: Reading = {
  value: (value, type) => `${String(value)}${'unit' in type && type.unit ? ` ${type.unit}` : ''}`,
  stretch: (day) => day.slice(0, 7),
  stretchOfYear: (day) => day.slice(5, 7),
};
const kg: ShownAs = { label: 'Kg', type: { kind: 'number', digits: 1, unit: 'kg' } };
const month: ShownAs = { label: 'Day', type: { kind: 'date' }, by: 'month' };
const word: ShownAs = { label: 'Village', type: { kind: 'text' } };
const sum: Measure = { label: '', total: 'sum', of: null, where: null };
const mean: Measure = { ...sum, total: 'avg' };

const row = (values: readonly unknown[], total: unknown, count = 1): DataRow => ({
  level: values.length,
  values,
  count,
  totals: [total],
});
const dataOf = (groups: readonly ShownAs[], rows: readonly DataRow[], more: Partial<AskedData> = {}): AskedData => ({
  groups,
  measures: [kg],
  whole: { count: 0, totals: [0] },
  rows,
  cut: false,
  period: null,
  periodWords: '',
  againstWords: '',
  unfiltered: [],
  ...more,
});
const drawn = (data: AskedData, chart: ChartKind = 'bars', measures: readonly Measure[] = [sum]) =>
  seriesOf({ chart, measures, groups: [] }, data, reading);

describe('what is drawn', () => {
  test('months without records stand between the others: as nothing where amounts add up, as unknown where not', () => {
    const data = dataOf([month], [row(['2026-04-01'], 4), row(['2026-01-01'], 1), row([null], 9, 3)]);
    const { categories, series, leftOut } = drawn(data);
    expect(categories.map(({ label }) => label)).toEqual(['2026-01', '2026-02', '2026-03', '2026-04']);
    expect(series[0]?.values).toEqual([1, 0, 0, 4]);
    expect(leftOut).toEqual(['3 records without Day']);
    expect(drawn(data, 'lines', [mean]).series[0]?.values).toEqual([1, null, null, 4]);
  });

  test('a calendar shows two years up to its last day, and says how many days were before', () => {
    const day: ShownAs = { ...month, by: 'day' };
    const days = ['2019-05-01', '2024-05-02', '2024-07-01', '2026-06-30'].map((one) => row([one], 1));
    const { categories, leftOut } = drawn(dataOf([day], days), 'calendar');
    expect([categories[0]?.values, categories.at(-1)?.values]).toEqual([['2024-07-01'], ['2026-06-30']]);
    expect(categories.length).toBe(730);
    expect(leftOut).toEqual(['2 earlier days, as a calendar has room for two years']);
  });

  test('steps of numbers follow each other, below 0 and in parts of one', () => {
    const steps: ShownAs = { ...kg, by: 0.1 };
    const { categories } = drawn(dataOf([steps], [row([0.2], 1), row([-0.1], 1)]), 'distribution');
    expect(categories.map(({ label }) => label)).toEqual(['-0.1 – 0 kg', '0 – 0.1 kg', '0.1 – 0.2 kg', '0.2 – 0.3 kg']);
  });

  test('words stay in the order they come; blank is one of them', () => {
    const { categories, leftOut } = drawn(dataOf([word], [row(['Ash'], 2), row([null], 1), row(['Elm'], 3)]));
    expect(categories.map(({ label }) => label)).toEqual(['Ash', 'no village', 'Elm']);
    expect(leftOut).toEqual([]);
  });

  test('the year before stands beside each month, which is called by neither year', () => {
    const data = dataOf(
      [month],
      [{ ...row(['2026-05-01'], 5), against: { count: 1, totals: [7] } }, row(['2026-06-01'], 6)],
      {
        period: {
          from: '2026-01-01',
          until: '2027-01-01',
          against: { from: '2025-01-01', until: '2026-01-01' },
          shift: '12 months',
          toDate: false,
        },
        periodWords: 'this year',
        againstWords: 'last year',
      },
    );
    const { categories, series } = drawn(data);
    expect(categories.map(({ label }) => label)).toEqual(['05', '06']);
    expect(series.map(({ label, values, against }) => [label, values, against])).toEqual([
      ['Kg, last year', [7, 0], true],
      ['Kg, this year', [5, 6], false],
    ]);
    expect(csvOf(tableOf(data, reading))).toBe(
      'Day,"Kg, this year","Kg, last year"\r\n2026-05,5 kg,7 kg\r\n2026-06,6 kg,',
    );
  });

  test('no spreadsheet runs a cell of what is saved as CSV', () => {
    const data = dataOf([word], [row(['=1+1'], -2), row(['a,"b"'], 3)]);
    expect(csvOf(tableOf(data, { ...reading, value: String }))).toBe('Village,Kg\r\n\'=1+1,-2\r\n"a,""b""",3');
  });

  test('of more series than can be told apart the smallest are left out, and it is said', () => {
    const rows = [row(['A'], 78), ...Array.from({ length: 12 }, (_, n) => row(['A', `s${n}`], n + 1))];
    const { series, leftOut } = drawn(dataOf([word, { ...word, label: 'Kind' }], rows));
    expect(series.map(({ label }) => label)).toEqual(['s4', 's5', 's6', 's7', 's8', 's9', 's10', 's11']);
    expect(leftOut).toEqual(['4 of 12 values of Kind, the smallest ones']);
  });

  test('what is gathered as others adds up, in each of its second groups, too', () => {
    const rows = [
      row(['A'], 5),
      row(['A', 'x'], 5),
      row(['B'], 3),
      row(['B', 'x'], 1),
      row(['B', 'y'], 2),
      row(['C'], 0.7),
      row(['C', 'y'], 0.7),
      row([null], 0.1),
      row([null, 'y'], 0.1),
    ];
    const short = shortened(
      rows,
      1,
      [sum].map((one) => ({ ...one, total: 'count' as const })),
    );
    expect(short.map(({ values, totals, others }) => [values, totals[0], others])).toEqual([
      [['A'], 5, undefined],
      [['A', 'x'], 5, undefined],
      [[null], 3.8, 3],
      [[null, 'x'], 1, 3],
      [[null, 'y'], 2.8, 3],
    ]);
    const { categories, series } = drawn(dataOf([word, word], short));
    expect(categories.map(({ label, others }) => [label, others])).toEqual([
      ['A', undefined],
      ['3 others', true],
    ]);
    expect(series.map(({ values }) => values)).toEqual([
      [5, 1],
      [0, 2.8],
    ]);
    // What more groups than were worked out come to is not known.
    expect(shortened(rows, 1, [sum], true).map(({ values }) => values)).toEqual([['A'], ['A', 'x']]);
    // A mean of means is none.
    expect(shortened(rows, 1, [mean])[2]?.totals).toEqual([null]);
  });

  test.each([
    [12.5, 12.5],
    ['0.12345678901234567890', 0.123456789],
    ['PT1H30M', 5400],
    ['', null],
    [null, null],
    ['2026-05-01', null],
  ])('%j is drawn as %j', (value, number) => {
    if (number === null) expect(numberOf(value)).toBeNull();
    else expect(numberOf(value)).toBeCloseTo(number, 6);
  });

  test.each([
    [110, 100, 0.1],
    [-50, -100, 0.5],
    [5, 0, null],
    [null, 5, null],
  ])('from %j to %j is a change of %j', (now, before, change) => expect(changeOf(now, before)).toBe(change));
});

describe('how it is drawn', () => {
  const look: ChartLook = {
    ink: '#111',
    inkSoft: '#444',
    line: '#ccc',
    ground: '#fff',
    face: 'sans',
    dyes: Object.fromEntries(dyes.map((dye) => [dye, dye])) as Record<Dye, string>,
  };
  const asked: ChartAsked = {
    chart: 'bars',
    axis: 'kg',
    other: '',
    group: '',
    limit: { value: 3, text: 'limit 3' },
    isScale: true,
    width: 600,
    height: 300,
    tick: String,
    otherTick: String,
  };
  const days: ShownAs = { ...month, by: 'day' };
  const data = dataOf([days], [row(['2026-05-01'], 2), row(['2026-05-03'], -1)]);

  test.each(chartKinds)('%s are an option that has all there is', (chart) => {
    const series = drawn(data, chart, chart === 'scatter' ? [sum, sum] : [sum]);
    const option = chartOption(series, { ...asked, chart }, look) as { series: { data: unknown[] }[] };
    const points = option.series.flatMap((one) => one.data);
    expect(points.length).toBeGreaterThanOrEqual(3);
    expect(JSON.stringify(points)).toContain('2');
  });

  test('bars begin at 0, or below where they go there; lines may begin elsewhere', () => {
    const axis = (chart: ChartKind) =>
      (
        chartOption(drawn(data, chart), { ...asked, chart }, look) as {
          yAxis: { min?: (of: { min: number }) => number };
        }
      ).yAxis.min;
    expect(axis('bars')?.({ min: 5 })).toBe(0);
    expect(axis('bars')?.({ min: -2 })).toBe(-2);
    expect(axis('lines')).toBeUndefined();
  });
});
