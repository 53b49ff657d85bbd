import type { Dye } from '../../types/field';
import type { ChartKind } from '../../types/summary';
import type { ChartSeries, Series } from './series';

/** The colours and faces of the interface, as a chart draws with them. */
export interface ChartLook {
  readonly ink: string;
  readonly inkSoft: string;
  readonly line: string;
  readonly ground: string;
  readonly face: string;
  readonly dyes: Readonly<Record<Dye, string>>;
}

/** What a chart is drawn from besides its series. */
export interface ChartAsked {
  readonly chart: ChartKind;
  /** The unit of its values behind a blank, or nothing. */
  readonly axis: string;
  /** The second axis of a scatter. */
  readonly other: string;
  readonly group: string;
  /** A line across, and how it reads. */
  readonly limit: { readonly value: number; readonly text: string } | null;
  /** The groups follow a scale of days or numbers. */
  readonly isScale: boolean;
  /** In pixels. */
  readonly width: number;
  readonly height: number;
  /** A number along an axis, short. */
  readonly tick: (value: number) => string;
  /** The same along the second axis of a scatter. */
  readonly otherTick: (value: number) => string;
}

/** An option of ECharts, in JSON but for its functions. */
export type ChartOption = Readonly<Record<string, unknown>>;

/** Strokes beside the colours, for those who do not tell these apart: plain, and the stitches of the look. */
const patterns: readonly (object | null)[] = [
  null,
  { symbol: 'line', dashArrayX: [1, 0], dashArrayY: [2, 5], rotation: Math.PI / 4 },
  {
    symbol: 'circle',
    symbolSize: 0.6,
    dashArrayX: [
      [6, 6],
      [0, 6, 6, 0],
    ],
    dashArrayY: [5, 0],
  },
  { symbol: 'line', dashArrayX: [1, 0], dashArrayY: [2, 5], rotation: -Math.PI / 4 },
  { symbol: 'line', dashArrayX: [1, 0], dashArrayY: [3, 4], rotation: Math.PI / 2 },
  {
    symbol: 'rect',
    symbolSize: 0.6,
    dashArrayX: [
      [5, 5],
      [0, 5, 5, 0],
    ],
    dashArrayY: [4, 0],
  },
  { symbol: 'line', dashArrayX: [1, 0], dashArrayY: [3, 4] },
  {
    symbol: 'triangle',
    symbolSize: 0.7,
    dashArrayX: [
      [8, 8],
      [0, 8, 8, 0],
    ],
    dashArrayY: [6, 0],
  },
];
const symbols = ['circle', 'rect', 'triangle', 'diamond', 'roundRect', 'pin', 'arrow', 'emptyCircle'];

const decalOf = ({ pattern }: Series, { ground }: ChartLook): object => {
  const strokes = patterns[pattern % patterns.length];
  return strokes ? { ...strokes, color: ground, dashLineOffset: 0 } : { symbol: 'none' };
};

/** How a chart is drawn: bars from 0, time in its order, patterns beside colours. */
export function chartOption(drawn: ChartSeries, asked: ChartAsked, look: ChartLook): ChartOption {
  const text = { color: look.inkSoft, fontFamily: look.face, fontSize: 12 };
  const base: ChartOption = {
    animation: false,
    textStyle: { fontFamily: look.face, color: look.ink },
    backgroundColor: 'transparent',
    tooltip: {
      confine: true,
      backgroundColor: look.ground,
      borderColor: look.line,
      textStyle: { color: look.ink, fontFamily: look.face, fontSize: 13 },
    },
  };
  const many = drawn.series.length > 1;
  const legend = {
    show: many,
    type: 'scroll',
    top: 0,
    left: 0,
    icon: 'rect',
    itemWidth: 16,
    itemHeight: 10,
    textStyle: text,
    pageTextStyle: text,
    pageIconColor: look.ink,
    inactiveColor: look.inkSoft,
  };
  const top = many ? 34 : 12;
  switch (asked.chart) {
    case 'calendar':
      return { ...base, ...calendar(drawn, asked, look, text) };
    case 'scatter':
      return { ...base, ...scatter(drawn, asked, look, text) };
    case 'shares':
      return { ...base, ...shares(drawn, asked, look, text) };
    default:
      return { ...base, legend, ...along(drawn, asked, look, text, top) };
  }
}

type TextStyle = Readonly<Record<string, unknown>>;

/** Bars, lines and areas along their categories. */
function along(
  { categories, series }: ChartSeries,
  { chart, axis, group, limit, isScale, width, tick }: ChartAsked,
  look: ChartLook,
  text: TextStyle,
  top: number,
): ChartOption {
  const longest = Math.max(0, ...categories.map(({ label }) => label.length));
  // Words lie beside their bars, where all of them can be read; days and numbers go from left to right.
  const lies = (chart === 'bars' || chart === 'stacked') && !isScale && (longest > 8 || categories.length > 8);
  const line = { lineStyle: { color: look.line } };
  const names = {
    type: 'category',
    data: categories.map(({ label }) => label),
    axisLabel: {
      ...text,
      hideOverlap: true,
      ...(lies ? { width: Math.min(180, width * 0.32), overflow: 'truncate' } : {}),
    },
    axisLine: line,
    axisTick: { show: false },
    ...(lies ? { inverse: true } : { name: group, nameLocation: 'middle', nameGap: 28, nameTextStyle: text }),
    ...(chart === 'areas' || chart === 'lines' ? { boundaryGap: false } : {}),
  };
  const values = {
    type: 'value',
    // A bar that does not begin at 0 says what is not so.
    ...(chart === 'lines' ? { scale: true } : { min: (range: { min: number }) => Math.min(0, range.min) }),
    name: axis,
    nameLocation: lies ? 'middle' : 'end',
    nameGap: lies ? 26 : 8,
    nameTextStyle: { ...text, align: lies ? 'center' : 'left' },
    axisLabel: { ...text, formatter: tick, hideOverlap: true },
    splitLine: line,
  };
  const isBar = chart === 'bars' || chart === 'stacked' || chart === 'distribution';
  return {
    grid: { top: top + (lies ? (limit ? 10 : 0) : 14), left: 8, right: 18, bottom: lies ? 22 : 24 },
    xAxis: lies ? values : names,
    yAxis: lies ? names : values,
    tooltip: { trigger: isBar ? 'item' : 'axis' },
    series: series.map((one, index) => {
      const colour = look.dyes[one.dye];
      const limitLine =
        limit && index === 0
          ? {
              markLine: {
                silent: true,
                symbol: 'none',
                data: [{ [lies ? 'xAxis' : 'yAxis']: limit.value, name: limit.text }],
                lineStyle: { color: look.ink, type: 'dashed', width: 1.5 },
                label: {
                  ...text,
                  formatter: limit.text,
                  position: lies ? 'start' : 'insideEndTop',
                  rotate: 0,
                  distance: 4,
                },
              },
            }
          : {};
      if (one.mark)
        return {
          name: one.label,
          type: 'scatter',
          symbol: 'rect',
          symbolSize: lies ? [3, 18] : [18, 3],
          z: 5,
          itemStyle: { color: look.ink },
          data: lies ? one.values.map((value, at) => [value, at]) : one.values,
        };
      if (isBar)
        return {
          name: one.label,
          type: 'bar',
          ...(chart === 'stacked' ? { stack: 'all' } : {}),
          ...(chart === 'distribution' ? { barCategoryGap: '4%' } : { barMaxWidth: 34 }),
          itemStyle: one.against
            ? { color: look.ground, borderColor: colour, borderWidth: 1.5, borderType: 'dashed' }
            : { color: colour, decal: decalOf(one, look) },
          emphasis: { itemStyle: { borderColor: look.ink, borderWidth: 2 } },
          // Nothing has no outline.
          data: one.against ? one.values.map((value) => value || null) : one.values,
          ...limitLine,
        };
      return {
        name: one.label,
        type: 'line',
        symbol: symbols[one.pattern % symbols.length],
        symbolSize: 7,
        connectNulls: false,
        lineStyle: { color: colour, width: 2, type: one.against ? 'dashed' : 'solid' },
        itemStyle: { color: colour },
        ...(chart === 'areas' ? { stack: 'all', areaStyle: { color: colour, opacity: 0.4 } } : {}),
        data: one.values,
        ...limitLine,
      };
    }),
  };
}

/** One point for each group, by two measures. */
function scatter(
  { categories, series }: ChartSeries,
  { axis, other, tick, otherTick }: ChartAsked,
  look: ChartLook,
  text: TextStyle,
): ChartOption {
  const [across, up] = series;
  const axisOf = (name: string, isAcross: boolean) => ({
    type: 'value',
    scale: true,
    name,
    nameLocation: isAcross ? 'middle' : 'end',
    nameGap: isAcross ? 28 : 8,
    nameTextStyle: { ...text, align: isAcross ? 'center' : 'left' },
    axisLabel: { ...text, formatter: isAcross ? tick : otherTick, hideOverlap: true },
    axisLine: { lineStyle: { color: look.line } },
    splitLine: { lineStyle: { color: look.line } },
  });
  return {
    grid: { top: 28, left: 8, right: 24, bottom: 24 },
    xAxis: axisOf(axis, true),
    yAxis: axisOf(other, false),
    tooltip: { trigger: 'item' },
    series: [
      {
        type: 'scatter',
        symbolSize: 10,
        itemStyle: { color: look.dyes.woad, opacity: 0.75 },
        emphasis: { itemStyle: { borderColor: look.ink, borderWidth: 2 } },
        data: categories.map((_, index) => [across?.values[index] ?? null, up?.values[index] ?? null]),
      },
    ],
  };
}

/** Slices of one whole, lying as a band. */
function shares(
  { categories, series: [one] }: ChartSeries,
  _: ChartAsked,
  look: ChartLook,
  text: TextStyle,
): ChartOption {
  const values = one?.values ?? [];
  const whole = values.reduce<number>((sum, value) => sum + Math.max(0, value ?? 0), 0);
  const dyes = Object.values(look.dyes);
  return {
    legend: {
      show: true,
      type: 'scroll',
      bottom: 0,
      left: 0,
      icon: 'rect',
      itemWidth: 16,
      itemHeight: 10,
      textStyle: text,
      inactiveColor: look.inkSoft,
    },
    grid: { top: 16, left: 4, right: 4, bottom: 48 },
    xAxis: { type: 'value', max: whole, show: false },
    yAxis: { type: 'category', data: [''], show: false },
    tooltip: { trigger: 'item' },
    series: categories.map(({ label }, index) => ({
      name: label,
      type: 'bar',
      stack: 'whole',
      barWidth: '70%',
      itemStyle: {
        color: dyes[index % dyes.length],
        borderColor: look.ground,
        borderWidth: 2,
        decal: decalOf({ pattern: index } as Series, look),
      },
      emphasis: { itemStyle: { borderColor: look.ink } },
      label: {
        show: whole > 0 && Math.max(0, values[index] ?? 0) / whole > 0.06,
        formatter: `${whole > 0 ? Math.round((Math.max(0, values[index] ?? 0) * 100) / whole) : 0} %`,
        color: look.ink,
        backgroundColor: look.ground,
        padding: [2, 4],
        borderRadius: 2,
        fontFamily: look.face,
      },
      data: [values[index] ?? 0],
    })),
  };
}

/** Days as squares of a calendar, the darker the more. */
function calendar(
  { categories, series: [one] }: ChartSeries,
  { width, tick }: ChartAsked,
  look: ChartLook,
  text: TextStyle,
): ChartOption {
  const days = categories.map(({ values }) => String(values[0]));
  const numbers = (one?.values ?? []).filter((value) => value !== null);
  const [from, until] = [days[0] ?? '', days.at(-1) ?? ''];
  const weeks = Math.max(1, Math.ceil((Date.parse(until) - Date.parse(from)) / 604_800_000) + 1);
  const size = Math.max(2, Math.min(22, Math.floor((width - 60) / weeks)));
  return {
    visualMap: {
      type: 'continuous',
      orient: 'horizontal',
      left: 0,
      bottom: 0,
      itemHeight: 90,
      itemWidth: 10,
      min: Math.min(0, ...numbers),
      max: Math.max(1, ...numbers),
      calculable: false,
      text: [tick(Math.max(1, ...numbers)), tick(Math.min(0, ...numbers))],
      textStyle: text,
      inRange: { color: [look.ground, look.dyes.woad] },
    },
    calendar: {
      top: 26,
      left: 44,
      range: from === until ? from.slice(0, 7) : [from, until],
      cellSize: [size, Math.min(size, 18)],
      orient: 'horizontal',
      splitLine: { lineStyle: { color: look.ink, width: 1 } },
      itemStyle: { color: look.ground, borderColor: look.line, borderWidth: 1 },
      dayLabel: { ...text, firstDay: 1 },
      monthLabel: text,
      yearLabel: { show: false },
    },
    tooltip: { trigger: 'item' },
    series: [
      {
        type: 'heatmap',
        coordinateSystem: 'calendar',
        emphasis: { itemStyle: { borderColor: look.ink, borderWidth: 2 } },
        data: days.map((day, index) => [day, one?.values[index] ?? 0]),
      },
    ],
  };
}
