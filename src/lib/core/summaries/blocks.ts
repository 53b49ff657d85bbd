import { bad, good, type Result } from '../base/problem';
import { readTable, tableKey, type Written } from '../filled/written';
import { conditionMissing } from '../flow/dependencies';
import { findTable } from '../model/model';
import { partsOf } from '../types/part';
import type { Expression } from '../types/expression';
import type { TableId } from '../types/identity';
import type { Model } from '../types/model';
import { wholeView } from '../views/view';
import {
  chartKinds,
  type Asked,
  type AskedBlock,
  type Block,
  type BlockKind,
  type BlockKinds,
  type ChartKind,
} from '../types/summary';
import { addsUp, lostIn, measureType, printAsked, readAsked, readIn, unitOf, mostMeasures } from './asked';

type Bare<K extends BlockKind> = Omit<BlockKinds[K], 'id' | 'title' | 'place' | 'kind'>;

/** All that the core knows of one kind of block. */
export interface BlockDescriptor<K extends BlockKind> {
  readonly label: string;
  /** What it takes of the page at first, in columns of twelve and in rows. */
  readonly size: { readonly w: number; readonly h: number };
  read(model: Model, json: Written, at: string): Result<Bare<K>>;
  print(model: Model, block: BlockKinds[K]): Written;
  /** What it reads of a table, as formulas. */
  reads(
    block: BlockKinds[K],
    model?: Model,
  ): { readonly table: TableId; readonly formulas: readonly Expression[] } | null;
  /** What of it is gone, in words. */
  lost(model: Model, block: BlockKinds[K]): string | null;
}

const ofAsked = <K extends 'number' | 'table'>(
  label: string,
  size: { w: number; h: number },
  check: (asked: Asked, at: string) => Result<true>,
): BlockDescriptor<K> => ({
  label,
  size,
  read: (model, json, at) => {
    const asked = readAsked(model, json, at);
    if (!asked.ok) return asked;
    const checked = check(asked.value, at);
    return checked.ok ? good(asked.value as Bare<K>) : checked;
  },
  print: (model, block) => printAsked(model, block),
  reads: (block, model) => ({ table: block.table, formulas: readIn(block, model) }),
  lost: (model, block) => lostIn(model, block),
});

const fewMeasures = ({ measures }: Asked, at: string): Result<true> =>
  measures.length === 0
    ? bad('It has no measure.', 'Choose what is counted or added up.', `${at}/measures`)
    : measures.length > mostMeasures
      ? bad(`It can have ${mostMeasures} measures.`, 'Make another block of the others.', `${at}/measures`)
      : good(true);

/** What each kind of chart is called, and what it needs. */
export const chartWords: { readonly [K in ChartKind]: { readonly label: string; readonly needs: string } } = {
  bars: { label: 'Bars', needs: '' },
  stacked: { label: 'Stacked bars', needs: 'Two groups, and a sum or a count.' },
  lines: { label: 'Lines', needs: 'The first group is a date or a number in steps.' },
  areas: { label: 'Areas', needs: 'The first group is a date or a number in steps, and a sum or a count.' },
  scatter: { label: 'Scatter', needs: 'Two measures.' },
  distribution: { label: 'Distribution', needs: 'A number in steps.' },
  calendar: { label: 'Calendar', needs: 'A date by day.' },
  shares: { label: 'Shares', needs: 'One group of a few values, and a sum or a count.' },
};

/** Whether a chart of this kind says the truth about what is asked; why not, with what to do. */
export function fitsChart(model: Model, chart: ChartKind, asked: Asked): Result<true> {
  const [first] = asked.groups;
  const measures = asked.measures.filter(({ mark }) => !mark);
  const isSteps = typeof first?.by === 'number' || (typeof first?.by === 'string' && first.by !== 'each');
  const needs = (holds: boolean) =>
    holds
      ? good(true as const)
      : bad(`${chartWords[chart].label} cannot show this.`, `${chartWords[chart].needs} Bars can.`, '/chart');
  if (!first) return bad('A chart needs a group.', 'Choose what it is grouped by.', '/groups');
  if (measures.length === 0) return bad('A chart needs a measure.', 'Choose what is counted or added up.', '/measures');
  const units = new Set(asked.measures.map((measure) => unitOf(measureType(model, measure))));
  if (chart !== 'scatter' && units.size > 1)
    return bad(
      `${[...units].map((unit) => (unit === 'plain' ? 'numbers without a unit' : unit)).join(' and ')} cannot be read off one scale.`,
      'Make a chart for each.',
      '/measures',
    );
  switch (chart) {
    case 'bars':
      return good(true);
    case 'stacked':
      return needs(
        asked.groups.length === 2 && measures.length === 1 && measures.every(addsUp) && !asked.period?.against,
      );
    case 'lines':
      return needs(isSteps);
    case 'areas':
      return needs(isSteps && measures.every(addsUp) && !asked.period?.against && measures.length === 1);
    case 'scatter':
      return needs(measures.length === 2 && asked.groups.length === 1);
    case 'distribution':
      return needs(typeof first.by === 'number' && asked.groups.length === 1);
    case 'calendar':
      return needs(first.by === 'day' && asked.groups.length === 1 && measures.length === 1);
    case 'shares':
      return needs(
        asked.groups.length === 1 &&
          measures.length === 1 &&
          measures.every(addsUp) &&
          first.by !== 'each' &&
          !asked.period?.against,
      );
  }
}

/** The registry: each kind of block stands here once. */
export const blockDescriptors: { readonly [K in BlockKind]: BlockDescriptor<K> } = {
  number: ofAsked<'number'>('Number', { w: 3, h: 2 }, (asked, at) =>
    asked.measures.length !== 1
      ? bad('A number has one measure.', 'Choose one.', `${at}/measures`)
      : asked.groups.length > 0
        ? bad('A number is of all records together.', 'Make a table or a chart of it.', `${at}/groups`)
        : good(true),
  ),
  table: ofAsked<'table'>('Table', { w: 6, h: 5 }, (asked, at) =>
    asked.groups.length === 0
      ? bad('A table needs a group.', 'Choose what it is grouped by.', `${at}/groups`)
      : fewMeasures(asked, at),
  ),
  chart: {
    label: 'Chart',
    size: { w: 6, h: 5 },
    read: (model, json, at) => {
      const asked = readAsked(model, json, at);
      if (!asked.ok) return asked;
      const few = fewMeasures(asked.value, at);
      if (!few.ok) return few;
      const chart = chartKinds.find((one) => one === json.chart);
      if (!chart)
        return bad(`There is no chart “${String(json.chart)}”.`, `There are ${chartKinds.join(', ')}.`, `${at}/chart`);
      const fits = fitsChart(model, chart, asked.value);
      if (!fits.ok) return { ok: false, problem: { ...fits.problem, at: `${at}${String(fits.problem.at)}` } };
      const limit = typeof json.limit === 'number' && Number.isFinite(json.limit) ? json.limit : null;
      return good({ ...asked.value, chart, limit });
    },
    print: (model, block) => ({ ...printAsked(model, block), chart: block.chart, limit: block.limit }),
    reads: (block, model) => ({ table: block.table, formulas: readIn(block, model) }),
    lost: (model, block) => lostIn(model, block),
  },
  list: {
    label: 'List',
    size: { w: 6, h: 5 },
    read: (model, json, at) => {
      const table = readTable(model, json.table, `${at}/table`);
      if (!table.ok) return table;
      const name = String(json.view ?? wholeView);
      const view = partsOf(table.value, 'view').find(({ id, label }) => id === name || label === name);
      if (!view && name !== wholeView)
        return bad(`${table.value.label} has no view “${name}” that everybody has.`, 'Choose another.', `${at}/view`);
      const most = Number.isInteger(json.most) ? Math.max(1, Math.min(100, json.most as number)) : 20;
      return good({ table: table.value.id, view: view?.id ?? wholeView, most });
    },
    print: (model, { table: id, view, most }) => {
      const table = findTable(model, id);
      // By its name, which is what it has in another workspace, too.
      const name = table && partsOf(table, 'view').find((one) => one.id === view)?.label;
      return { table: table ? tableKey(table) : '', view: name ?? view, most };
    },
    reads: ({ table, view }, model) => {
      const owner = model && findTable(model, table);
      const filter = owner && partsOf(owner, 'view').find(({ id }) => id === view)?.filter;
      return { table, formulas: filter ? [filter] : [] };
    },
    lost: (model, { table: id, view: wanted }) => {
      const table = findTable(model, id);
      if (!table) return 'its table was deleted';
      if (wanted === wholeView) return null;
      const view = partsOf(table, 'view').find((one) => one.id === wanted);
      if (!view) return 'its view was deleted';
      return view.filter && conditionMissing(model, view.filter)
        ? 'the filter of its view uses a field that was deleted'
        : null;
    },
  },
  text: {
    label: 'Text',
    size: { w: 6, h: 2 },
    read: (_, json, at) => {
      const text = String(json.text ?? '');
      return text.length > 20_000
        ? bad('The text is longer than 20,000 characters.', 'Make several of it.', `${at}/text`)
        : good({ text });
    },
    print: (_, { text }) => ({ text }),
    reads: () => null,
    lost: () => null,
  },
};

export const blockKinds = Object.keys(blockDescriptors) as readonly BlockKind[];

// TypeScript does not follow that kind and value belong together through a union of descriptors.
export const blockOf = (kind: BlockKind): BlockDescriptor<BlockKind> =>
  blockDescriptors[kind] as unknown as BlockDescriptor<BlockKind>;

/** More slices than can be told apart. */
const mostShares = 8;

/** How many of its first groups a block shows; the others are gathered as one. Null shows all. */
export const mostOf = (block: AskedBlock): number | null =>
  block.kind === 'chart' && block.chart === 'shares' ? Math.min(block.most ?? mostShares, mostShares) - 1 : block.most;

/** Whether a block asks for measures. */
export const asks = (block: Block): block is AskedBlock =>
  block.kind === 'number' || block.kind === 'table' || block.kind === 'chart';
