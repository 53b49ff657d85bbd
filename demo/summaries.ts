import type { ChangeJson } from '../src/lib/server/api/changes/changes';

type Block = Readonly<Record<string, unknown>>;

const at = (x: number, y: number, w: number, h: number) => ({ x, y, w, h });
const sum = (of: string, label = '') => ({ total: 'sum', of, label });
const count = (label = '') => ({ total: 'count', label });
const summary = (label: string, description: string, parts: object): ChangeJson =>
  ({ do: 'addPart', kind: 'summary', part: { label, description, ...parts } }) as ChangeJson;

const year = { field: 'day', span: 'year', against: 'yearBefore' };

/** What was brought in, for whoever plans the season. */
const seasonBlocks: readonly Block[] = [
  {
    kind: 'number',
    title: 'Honey brought in',
    place: at(0, 0, 4, 2),
    table: 'harvests',
    measures: [sum('kg')],
    period: { field: 'day', span: 'year', against: 'before' },
  },
  {
    kind: 'number',
    title: 'Hives harvested',
    place: at(4, 0, 4, 2),
    table: 'harvests',
    measures: [{ total: 'distinct', of: 'hive' }],
    period: { field: 'day', span: 'year', against: 'before' },
  },
  {
    kind: 'number',
    title: 'Mean moisture',
    place: at(8, 0, 4, 2),
    table: 'harvests',
    measures: [{ total: 'avg', of: 'moisture' }],
    period: { field: 'day', span: 'year', against: 'before' },
  },
  {
    kind: 'chart',
    chart: 'bars',
    title: 'Kg by month, this season against last',
    place: at(0, 2, 7, 6),
    table: 'harvests',
    measures: [sum('kg')],
    groups: 'day:month',
    period: year,
  },
  {
    kind: 'table',
    title: 'Kg by month and apiary, this season against last',
    place: at(7, 2, 5, 6),
    table: 'harvests',
    measures: [sum('kg')],
    groups: 'day:month,hive.apiary',
    period: year,
  },
  {
    kind: 'chart',
    chart: 'distribution',
    title: 'How much one harvest brings',
    place: at(0, 8, 6, 5),
    table: 'harvests',
    measures: [count()],
    groups: 'kg:2',
  },
  {
    kind: 'chart',
    chart: 'scatter',
    title: 'Kg and moisture by lot',
    place: at(6, 8, 6, 5),
    table: 'harvests',
    measures: [sum('kg'), { total: 'avg', of: 'moisture' }],
    groups: 'lot',
  },
];

/** What is sold and what is left, for those at the stall. */
const marketBlocks: readonly Block[] = [
  {
    kind: 'text',
    title: '',
    place: at(0, 0, 3, 2),
    text: '**For Saturday.** Takings of all market days, what is left of each lot, and the hives to look after before the weekend.',
  },
  {
    kind: 'number',
    title: 'Takings',
    place: at(3, 0, 3, 2),
    table: 'sales_lines',
    measures: [sum('amount')],
    period: { field: 'market_day.day', span: 'year', against: 'before' },
  },
  {
    kind: 'number',
    title: 'Jars sold',
    place: at(6, 0, 3, 2),
    table: 'sales_lines',
    measures: [sum('jars')],
    period: { field: 'market_day.day', span: 'year', against: 'before' },
  },
  {
    kind: 'number',
    title: 'Market days',
    place: at(9, 0, 3, 2),
    table: 'market_days',
    measures: [count()],
    period: { field: 'day', span: 'year', against: 'before' },
  },
  {
    kind: 'chart',
    chart: 'stacked',
    title: 'Takings by village and weather',
    place: at(0, 2, 7, 6),
    table: 'market_days',
    measures: [sum('takings')],
    groups: 'village,weather',
    order: 'most',
    most: 8,
  },
  {
    kind: 'chart',
    chart: 'shares',
    title: 'Jars by kind',
    place: at(7, 2, 5, 3),
    table: 'sales_lines',
    measures: [sum('jars')],
    groups: 'jar',
  },
  {
    kind: 'chart',
    chart: 'calendar',
    title: 'Best days',
    place: at(7, 5, 5, 3),
    table: 'market_days',
    measures: [sum('takings')],
    groups: 'day:day',
  },
  {
    kind: 'chart',
    chart: 'bars',
    title: 'Kg left of each lot',
    place: at(0, 8, 6, 5),
    table: 'lots',
    measures: [sum('kg_left')],
    groups: 'number',
    limit: 150,
  },
  {
    kind: 'list',
    title: 'The next visits that are due',
    place: at(6, 8, 6, 5),
    table: 'apiaries.hives',
    view: 'Due by the week’s end',
    most: 20,
  },
];

/** Summaries of Honey: one for everybody, one for a group of the Directory. */
export const honeySummaries = (stall: number): readonly ChangeJson[] => [
  summary('The season', 'What was brought in, against the season before.', {
    filters: [
      { label: 'Apiary', fields: [{ table: 'harvests', field: 'hive.apiary' }] },
      { label: 'Day', fields: [{ table: 'harvests', field: 'day' }] },
    ],
    blocks: seasonBlocks,
  }),
  summary('The market', 'What is sold and what is left, for those at the stall.', {
    groups: [stall],
    filters: [
      {
        label: 'Village',
        fields: [
          { table: 'market_days', field: 'village' },
          { table: 'sales_lines', field: 'market_day.village' },
        ],
      },
      {
        label: 'Day',
        fields: [
          { table: 'market_days', field: 'day' },
          { table: 'sales_lines', field: 'market_day.day' },
        ],
      },
    ],
    blocks: marketBlocks,
  }),
];
