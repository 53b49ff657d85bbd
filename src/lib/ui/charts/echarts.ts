import { BarChart } from 'echarts/charts';
import { GridComponent, TooltipComponent } from 'echarts/components';
import { init, use, type EChartsCoreOption } from 'echarts/core';
import { SVGRenderer } from 'echarts/renderers';

use([BarChart, GridComponent, TooltipComponent, SVGRenderer]);

/** Draws a chart that follows the size of its place; gives what ends it. */
export function openChart(place: HTMLElement, option: EChartsCoreOption): () => void {
  const chart = init(place, undefined, { renderer: 'svg' });
  chart.setOption(option);
  const sized = new ResizeObserver(() => chart.resize());
  sized.observe(place);
  return () => {
    sized.disconnect();
    chart.dispose();
  };
}
