import type { Point } from './route';
import { boxHeight, boxWidth, headHeight, rowHeight, type Weave, type WeaveRun, type WeaveThread } from './weave';

/** What a drawing needs of colours: a dye's, and those of text and ground. */
export interface WeaveColours {
  readonly dye: (name: string) => string;
  readonly ink: string;
  readonly soft: string;
  readonly ground: string;
  readonly raised: string;
  readonly line: string;
}

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('"', '&quot;');

export const pathData = (points: readonly Point[]): string =>
  points.map(({ x, y }, index) => `${index === 0 ? 'M' : 'L'}${x} ${y}`).join(' ');

/** Where a thread changes from the one table's dye to the other's: its path in two halves of equal length. */
export function halves(points: readonly Point[]): [Point[], Point[]] {
  const lengths = points.map((point, index) => {
    const next = points[index + 1];
    return next ? Math.abs(next.x - point.x) + Math.abs(next.y - point.y) : 0;
  });
  let left = lengths.reduce((sum, length) => sum + length, 0) / 2;
  for (const [index, length] of lengths.entries()) {
    const [a, b] = [points[index], points[index + 1]];
    if (!a || !b) break;
    if (left <= length) {
      const share = length === 0 ? 0 : left / length;
      const middle = { x: a.x + (b.x - a.x) * share, y: a.y + (b.y - a.y) * share };
      return [
        [...points.slice(0, index + 1), middle],
        [middle, ...points.slice(index + 1)],
      ];
    }
    left -= length;
  }
  return [[...points], []];
}

/** The three strands into which an end with many records splits: short lines from the box to the thread. */
export function strands(end: Point | undefined, next: Point | undefined): string {
  if (!end || !next) return '';
  const way = Math.sign(next.x - end.x) || 1;
  const tip = end.x + way * 10;
  return [-4, 0, 4].map((dy) => `M${end.x} ${end.y + dy} L${tip} ${end.y}`).join(' ');
}

/** A head for the end of what is calculated: a small arrow into the row. */
export function arrow(end: Point | undefined, before: Point | undefined): string {
  if (!end || !before) return '';
  const way = Math.sign(before.x - end.x) || 1;
  return `M${end.x} ${end.y} L${end.x + way * 6} ${end.y - 3.5} L${end.x + way * 6} ${end.y + 3.5} Z`;
}

/** The whole weave as an SVG document of its own, with the calculations that are shown. */
export function weaveSvg(
  weave: Weave,
  places: Readonly<Record<string, Point | null>>,
  paths: ReadonlyMap<string, readonly Point[]>,
  flows: { readonly runs: readonly WeaveRun[]; readonly paths: ReadonlyMap<string, readonly Point[]> },
  colours: WeaveColours,
): string {
  const boxes = weave.tables.map((table) => ({
    table,
    x: places[table.id]?.x ?? 0,
    y: places[table.id]?.y ?? 0,
    height: boxHeight(table),
  }));
  const edge = 40;
  const [left, top] = [Math.min(0, ...boxes.map(({ x }) => x)) - edge, Math.min(0, ...boxes.map(({ y }) => y)) - edge];
  const [right, bottom] = [
    Math.max(0, ...boxes.map(({ x }) => x + boxWidth)) + edge,
    Math.max(0, ...boxes.map(({ y, height }) => y + height)) + edge,
  ];
  const dyeOf = (id: string) => colours.dye(weave.tables.find((table) => table.id === id)?.dye ?? 'slate');
  const thread = (one: WeaveThread) => {
    const points = paths.get(one.id);
    if (!points) return '';
    const [first, second] = halves(points);
    const line = (data: string, colour: string) =>
      `<path d="${data}" fill="none" stroke="${colour}" stroke-width="1.6"/>`;
    return [
      line(pathData(first), dyeOf(one.from)),
      line(pathData(second), dyeOf(one.to)),
      one.manyFrom ? line(strands(points[0], points[1]), dyeOf(one.from)) : '',
      one.manyTo ? line(strands(points.at(-1), points.at(-2)), dyeOf(one.to)) : '',
    ].join('');
  };
  const flow = ({ id, from }: WeaveRun) => {
    const points = flows.paths.get(id);
    if (!points) return '';
    const colour = dyeOf(from);
    return (
      `<path d="${pathData(points)}" fill="none" stroke="${colour}" stroke-width="1.2" stroke-dasharray="2 3"/>` +
      `<path d="${arrow(points.at(-1), points.at(-2))}" fill="${colour}"/>`
    );
  };
  const box = ({ table, x, y, height }: (typeof boxes)[number]) => {
    const rows = table.rows.map(({ label, kind }, index) => {
      const middle = y + headHeight + index * rowHeight + 14;
      return `<text x="${x + 10}" y="${middle}" font-size="12" fill="${kind === 'plain' ? colours.soft : colours.ink}">${kind === 'calculated' ? 'ƒ ' : ''}${escaped(label)}</text>`;
    });
    const more =
      table.more > 0
        ? `<text x="${x + 10}" y="${y + height - 10}" font-size="11" fill="${colours.soft}">and ${table.more} more</text>`
        : '';
    return `<g><rect x="${x}" y="${y}" width="${boxWidth}" height="${height}" rx="4" fill="${colours.raised}" stroke="${colours.line}"/><rect x="${x}" y="${y}" width="${boxWidth}" height="4" fill="${colours.dye(table.dye)}"/><text x="${x + 10}" y="${y + 21}" font-size="14" font-weight="600" fill="${colours.ink}">${escaped(table.home === null ? table.label : `${table.home}: ${table.label}`)}</text>${rows.join('')}${more}</g>`;
  };
  return (
    `<svg xmlns="http://www.w3.org/2000/svg" viewBox="${left} ${top} ${right - left} ${bottom - top}" font-family="sans-serif">` +
    `<rect x="${left}" y="${top}" width="${right - left}" height="${bottom - top}" fill="${colours.ground}"/>${weave.threads.map(thread).join('')}${flows.runs.map(flow).join('')}${boxes.map(box).join('')}</svg>`
  );
}
