import { BarChart, HeatmapChart, LineChart, ScatterChart } from 'echarts/charts';
import {
  AriaComponent,
  CalendarComponent,
  GridComponent,
  LegendComponent,
  LegendScrollComponent,
  MarkLineComponent,
  TooltipComponent,
  VisualMapComponent,
} from 'echarts/components';
import { init, use, type EChartsType } from 'echarts/core';
import { CanvasRenderer, SVGRenderer } from 'echarts/renderers';
import { dyes, type Dye } from '$core/types/field';
import type { ChartLook, ChartOption } from '$core/summaries/chart/option';

/** The part of ECharts that charts need; loaded where the first one is shown. */
use([
  AriaComponent,
  BarChart,
  CalendarComponent,
  CanvasRenderer,
  GridComponent,
  HeatmapChart,
  LegendComponent,
  LegendScrollComponent,
  LineChart,
  MarkLineComponent,
  ScatterChart,
  SVGRenderer,
  TooltipComponent,
  VisualMapComponent,
]);

/** The colours and faces of the interface as they are at an element now. */
export function lookAt(element: Element): ChartLook {
  const style = getComputedStyle(element);
  const token = (name: string) => style.getPropertyValue(`--${name}`).trim();
  return {
    ink: token('ink'),
    inkSoft: token('ink-soft'),
    line: token('line'),
    ground: token('raised'),
    face: token('sans'),
    dyes: Object.fromEntries(dyes.map((dye) => [dye, token(`dye-${dye}`)])) as Record<Dye, string>,
  };
}

/** A chart on the page. */
export const drawIn = (element: HTMLElement): EChartsType => init(element, null, { renderer: 'svg' });

/** A chart as a picture of its own, on the ground of the page. */
export function pictureOf(
  option: ChartOption,
  look: ChartLook,
  size: { readonly width: number; readonly height: number },
  kind: 'svg' | 'png',
): string {
  const holder = document.createElement('div');
  const chart = init(holder, null, { renderer: kind === 'svg' ? 'svg' : 'canvas', ...size });
  chart.setOption({ ...option, backgroundColor: look.ground });
  const address = chart.getDataURL({ pixelRatio: kind === 'png' ? 2 : 1, backgroundColor: look.ground });
  chart.dispose();
  return address;
}

export type { EChartsType };
