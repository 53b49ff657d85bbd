import type { FieldType } from '../../types/field';
import type { BlockKinds } from '../../types/summary';
import { unitOf } from '../asked';
import type { AskedData } from '../data';
import type { ChartAsked } from './option';
import type { ChartSeries } from './series';

/** What of a block says how its chart is drawn. */
export type ChartBlock = Pick<BlockKinds['chart'], 'chart' | 'limit' | 'measures' | 'groups'>;

/** What a chart is drawn from besides its series. `locale`: BCP 47; one’s own unless said. */
export function chartAsked(
  { chart, limit }: ChartBlock,
  { groups, measures }: AskedData,
  { series }: ChartSeries,
  size: { readonly width: number; readonly height: number },
  locale?: string,
): ChartAsked {
  const numbers = new Intl.NumberFormat(locale, { notation: 'compact', maximumFractionDigits: 2 });
  const tickOf = (of: FieldType | undefined) => (value: number) => {
    if (of?.kind === 'percent') return `${numbers.format(value * 100)} %`;
    return of?.kind === 'duration' ? `${numbers.format(value / 3600)} h` : numbers.format(value);
  };
  /** What an axis measures: its unit, or what is counted. */
  function axisOf(index: number): string {
    const measure = measures[index];
    if (!measure) return '';
    const unit = unitOf(measure.type);
    const isBare = ['plain', 'any', 'percent', 'duration'].includes(unit);
    if (chart === 'scatter') return `${measure.label}${isBare ? '' : ` (${unit})`}`;
    if (!isBare) return unit;
    return series.length === 1 || groups.length === 2 ? measure.label : '';
  }
  const by = groups[0]?.by;
  const type = measures[0]?.type;
  return {
    chart,
    axis: axisOf(0),
    other: axisOf(1),
    group: '',
    limit:
      limit === null || !type
        ? null
        : {
            value: limit,
            text: `limit ${numbers.format(limit)}${axisOf(0) === unitOf(type) ? ` ${unitOf(type)}` : ''}`,
          },
    isScale: typeof by === 'number' || (typeof by === 'string' && by !== 'each'),
    tick: tickOf(type),
    otherTick: tickOf(measures[1]?.type),
    ...size,
  };
}
