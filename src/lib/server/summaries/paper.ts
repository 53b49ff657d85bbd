import { BarChart, HeatmapChart, LineChart, ScatterChart } from 'echarts/charts';
import {
  AriaComponent,
  CalendarComponent,
  GridComponent,
  LegendComponent,
  MarkLineComponent,
  VisualMapComponent,
} from 'echarts/components';
import { init, use } from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';
import type { FilledBlock, FilledCell, FilledDocument } from '$core/documents/filled';
import { textOfJson } from '$core/fieldTypes/registry';
import { chartAsked } from '$core/summaries/chart/asked';
import { chartOption, type ChartLook } from '$core/summaries/chart/option';
import { seriesOf, type Reading } from '$core/summaries/chart/series';
import { tableOf } from '$core/summaries/csv';
import { changeOf, type AskedData } from '$core/summaries/data';
import { pageColumns } from '$core/summaries/layout';
import { readingIn } from '$core/summaries/reading';
import type { Choices } from '$core/summaries/narrowing';
import type { Paper } from '$core/types/document';
import type { Block, BlockKinds, Summary } from '$core/types/summary';
import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Pool } from '../database/pool';
import { pdfOf } from '../documents/pdf/pdf';
import type { PaperPicture } from '../documents/pictures';
import { pageData, type BlockData, type RecordRows } from './data';

use([
  AriaComponent,
  BarChart,
  CalendarComponent,
  GridComponent,
  HeatmapChart,
  LegendComponent,
  LineChart,
  MarkLineComponent,
  ScatterChart,
  SVGRenderer,
  VisualMapComponent,
]);

/** The colours of the interface in the light, for paper; those of `tokens.css`. */
const look: ChartLook = {
  ink: '#17211f',
  inkSoft: '#4a5753',
  line: '#d3dad4',
  ground: '#ffffff',
  face: 'sans',
  dyes: {
    woad: '#155e6d',
    madder: '#b23a2e',
    weld: '#9a6b00',
    heather: '#8a4f8f',
    moss: '#4c7030',
    rust: '#a4501e',
    indigo: '#3a4a9c',
    cochineal: '#a82058',
    walnut: '#6e4a2c',
    sage: '#4f7a6a',
    slate: '#51606e',
    plum: '#6a3560',
  },
};

const paper: Paper = { size: 'A4', landscape: true, margins: [16, 14, 14, 14] };
/** Between the margins, in millimetres. */
const wide = 297 - 28;
/** Pixels of a drawing a millimetre of paper, so that its letters are as large as those beside it. */
const fine = 3.6;
/** Of one row of the page, in millimetres. */
const rowHeight = 13;
/** More rows of a table than anybody reads on paper; the page itself has all. */
const mostRows = 60;

type Line = FilledBlock & { is: 'text' };
const line = (text: string, more: Partial<Line> = {}): Line => ({
  is: 'text',
  level: 0,
  align: 'left',
  runs: text === '' ? [] : [{ text }],
  ...more,
});
const strong = (text: string): Line => ({ ...line(''), runs: [{ text, bold: true }] });
const soft = (text: string): Line => ({ ...line(''), runs: [{ text, italic: true }] });
const cell = (text: string, head = false, right = false): FilledCell => ({
  span: 1,
  head,
  blocks: [line(text, right ? { align: 'right' } : {})],
});

function numberBlocks(data: AskedData, reading: Reading, locale: string): FilledBlock[] {
  const [measure] = data.measures;
  const [now = null, before = null] = [data.whole.totals[0], data.whole.against?.totals[0]];
  const text = (value: unknown) => (value === null || !measure ? '–' : reading.value(value, measure.type));
  const change = changeOf(now, before);
  const percent = new Intl.NumberFormat(locale, {
    style: 'percent',
    maximumFractionDigits: 1,
    signDisplay: 'exceptZero',
  });
  const against =
    change === null
      ? `${data.againstWords}: ${before === null ? 'none' : text(before)}`
      : `${percent.format(change)} against ${text(before)}, ${data.againstWords}`;
  return [
    line(text(now), { level: 2 }),
    ...(data.period ? [soft(data.period.against ? against : data.periodWords)] : []),
  ];
}

function tableBlocks(
  head: readonly string[],
  rows: readonly (readonly string[])[],
  foot: readonly string[] | null,
  texts: number,
): FilledBlock[] {
  const shown = rows.slice(0, mostRows);
  const row = (cells: readonly string[], isHead = false) => ({
    head: isHead,
    cells: cells.map((text, index) => cell(text, isHead, index >= texts)),
  });
  return [
    {
      is: 'table',
      lines: true,
      widths: head.map(() => 1 / head.length),
      rows: [row(head, true), ...shown.map((cells) => row(cells)), ...(foot ? [row(foot)] : [])],
    },
    ...(rows.length > shown.length ? [soft(`${rows.length - shown.length} more rows are not printed.`)] : []),
  ];
}

function listBlocks({ columns, records, count }: RecordRows, zone: string, locale: string): FilledBlock[] {
  const rows = records.map(({ values }) =>
    columns.map(({ key, type }) => textOfJson(values[key], type, { zone, locale })),
  );
  const more = count > records.length ? [soft(`${records.length} of ${count.toLocaleString(locale)} records`)] : [];
  return [
    ...tableBlocks(
      columns.map(({ label }) => label),
      rows,
      null,
      columns.length,
    ),
    ...more,
  ];
}

/** A page of a summary being put on paper: its blocks, and the charts that they show. */
class SummaryPaper {
  readonly charts = new Map<string, PaperPicture>();
  private readonly reading: Reading;

  constructor(
    private readonly zone: string,
    private readonly locale: string,
  ) {
    this.reading = readingIn(zone, locale);
  }

  private chart(block: BlockKinds['chart'], data: AskedData): FilledBlock[] {
    const drawn = seriesOf(block, data, this.reading);
    if (drawn.categories.length === 0) return [soft('No records.')];
    const width = (block.place.w / pageColumns) * wide - 4;
    const size = {
      width: Math.round(width * fine),
      height: Math.round(Math.max(block.place.h - 1, 2) * rowHeight * fine),
    };
    const chart = init(null, null, { renderer: 'svg', ssr: true, ...size });
    // Nobody points at paper.
    const { tooltip: _, ...option } = chartOption(drawn, chartAsked(block, data, drawn, size, this.locale), look);
    chart.setOption(option);
    this.charts.set(block.id, { svg: chart.renderToSVGString(), type: 'svg', ...size });
    chart.dispose();
    const said = drawn.categories.map(
      ({ label }, at) => `${label} ${drawn.series.map(({ texts }) => texts[at] ?? '–').join(', ')}`,
    );
    return [
      { is: 'picture', file: block.id, width, align: 'left', alt: `Chart. ${said.slice(0, 40).join('; ')}` },
      ...(drawn.leftOut.length > 0 ? [soft(`Not shown: ${drawn.leftOut.join('; ')}.`)] : []),
    ];
  }

  /** A block under its title. */
  blocks(block: Block, data: BlockData | undefined): FilledBlock[] {
    const title = block.title === '' ? [] : [strong(block.title)];
    const { asked, list, problem } = data ?? {};
    if (problem) return [...title, soft(problem.message)];
    if (block.kind === 'text')
      return [...title, ...block.text.split(/\n{2,}/).map((part) => line(part.replaceAll(/[*_#`]/g, '')))];
    if (list) return [...title, ...listBlocks(list, this.zone, this.locale)];
    if (!asked) return title;
    if (block.kind === 'chart') return [...title, ...this.chart(block, asked)];
    if (block.kind === 'number') return [...title, ...numberBlocks(asked, this.reading, this.locale)];
    const { head, rows, foot } = tableOf(asked, this.reading);
    return [
      ...title,
      ...tableBlocks(
        head,
        rows.map(({ cells }) => cells),
        foot,
        asked.groups.length,
      ),
    ];
  }
}

/** Blocks in bands that stand beside each other, from above; in each the columns from the left. */
function bandsOf(blocks: readonly Block[]): Block[][][] {
  const bands: { until: number; blocks: Block[] }[] = [];
  for (const block of [...blocks].sort((a, b) => a.place.y - b.place.y || a.place.x - b.place.x)) {
    const last = bands.at(-1);
    if (!last || block.place.y >= last.until) bands.push({ until: block.place.y + block.place.h, blocks: [block] });
    else {
      last.blocks.push(block);
      last.until = Math.max(last.until, block.place.y + block.place.h);
    }
  }
  return bands.map(({ blocks: all }) => {
    const starts = [...new Set(all.map(({ place }) => place.x))].sort((a, b) => a - b);
    return starts.map((x) => all.filter(({ place }) => place.x === x));
  });
}

/** The page of a summary as a PDF, as it is for whoever asks, with what is chosen in its filters. */
export async function* summaryPdf(
  pool: Pool,
  access: WorkspaceAccess,
  summary: Summary,
  choices: Choices,
  locale: string,
): AsyncGenerator<Uint8Array, void> {
  const { zone, day } = access.workspace;
  const data = new Map((await pageData(pool, access, summary, choices)).map((one) => [one.id, one]));
  const sheet = new SummaryPaper(zone, locale);
  const body = bandsOf(summary.blocks).map((columns): FilledBlock => {
    const widths = columns.map((all) => Math.max(...all.map(({ place }) => place.w)));
    const free = pageColumns - widths.reduce((sum, one) => sum + one, 0);
    // What stays free at the right of a band stays so on paper.
    const shares = free > 0 ? [...widths, free] : widths;
    const together = shares.reduce((sum, one) => sum + one, 0);
    const cells = columns.map((all) => ({
      span: 1,
      head: false,
      blocks: all.flatMap((block) => sheet.blocks(block, data.get(block.id))),
    }));
    return {
      is: 'table',
      lines: false,
      widths: shares.map((one) => one / together),
      rows: [{ head: false, cells: free > 0 ? [...cells, { span: 1, head: false, blocks: [] }] : cells }],
    };
  });
  const filled: FilledDocument = {
    header: [],
    body: [line(summary.label, { level: 1 }), ...(summary.description ? [line(summary.description)] : []), ...body],
    footer: [
      {
        ...line(''),
        align: 'right',
        runs: [
          { text: `${access.workspace.label}, ${day} · ` },
          { text: '', page: 'number' },
          { text: ' of ' },
          { text: '', page: 'count' },
        ],
      },
    ],
  };
  const layout = { title: summary.label, language: locale, paper, labels: null };
  yield* pdfOf([filled], layout, {
    picture: (file) => Promise.resolve(sheet.charts.get(file) ?? null),
    note: () => undefined,
  });
}
