import type { FilledBlock, FilledRow, Run } from '$core/documents/filled';
import type { PaperPicture } from '../pictures';
import { linesOf, type Line, type Ruler } from './lines';

/** One millimetre in points, the unit of PDF. */
export const points = (millimetres: number): number => (millimetres * 72) / 25.4;

/** What a piece of content is, for those who have it read to them (ISO 14289). */
export interface Tag {
  readonly type: string;
  readonly within: Tag | null;
  readonly alt?: string;
}

/** What is put on a page, from its upper left corner on. */
type Drawn =
  | { readonly is: 'line'; readonly line: Line; readonly size: number }
  | { readonly is: 'picture'; readonly picture: PaperPicture; readonly width: number; readonly height: number }
  | { readonly is: 'code'; readonly text: string; readonly size: number }
  | { readonly is: 'rule'; readonly width: number }
  | { readonly is: 'box'; readonly width: number; readonly height: number };

export interface Placed {
  readonly x: number;
  readonly y: number;
  readonly what: Drawn;
  /** Null for what only decorates. */
  readonly tag: Tag | null;
}

/** A stretch of a page that is not parted, such as a line of text or a row of a table; points. */
export interface Strip {
  readonly height: number;
  /** Left free above it, unless it is the first of a page. */
  readonly above: number;
  readonly placed: readonly Placed[];
  /** It goes to the next page with what comes after it. */
  readonly keep?: true;
  readonly breaks?: true;
  /** What stands above it again where a page begins with it. */
  readonly head?: readonly Strip[];
  /** It in two, of which the first is no higher than that; null where nothing of it is as low. */
  readonly cut?: (height: number) => readonly [Strip, Strip] | null;
  /** It is cut wherever a page ends, and not only where it is higher than a page. */
  readonly loose?: true;
}

/** What laying out needs beside what is laid out. */
export interface Tools {
  readonly ruler: Ruler;
  readonly picture: (file: string) => PaperPicture | null;
  /** The room on a page, in points. */
  readonly height: number;
  readonly note: (words: string) => void;
}

const textSize = 10.5;
const sizes = [textSize, 20, 15, 12] as const;
const leading = 1.38;
const gap = 6;
const padding = { x: 4, y: 2.5 };
const indent = 16;
/** What is cut leaves no less than some lines of it on the page before. */
const leastCut = 60;

const lineHeight = (size: number): number => size * leading;

const shiftOf = (align: 'left' | 'center' | 'right', free: number): number =>
  align === 'left' ? 0 : align === 'center' ? free / 2 : free;

function textStrips(
  runs: readonly Run[],
  level: 0 | 1 | 2 | 3,
  align: 'left' | 'center' | 'right',
  width: number,
  tag: Tag,
  { ruler }: Tools,
  bold: boolean,
): Strip[] {
  const size = sizes[level];
  return linesOf(runs, size, bold || level > 0, width, ruler).map((line, index) => ({
    height: lineHeight(size),
    above: index > 0 ? 0 : level > 0 ? gap * 1.5 : gap,
    placed:
      line.pieces.length === 0
        ? []
        : [
            {
              // What is read from the right begins there unless it was put elsewhere.
              x: shiftOf(align === 'left' && line.fromRight ? 'right' : align, width - line.width),
              y: 0,
              what: { is: 'line', line, size },
              tag,
            },
          ],
    ...(level > 0 ? { keep: true as const } : {}),
  }));
}

const moved = (placed: readonly Placed[], x: number, y: number): Placed[] =>
  placed.map((one) => ({ ...one, x: one.x + x, y: one.y + y }));

/** The strips of blocks within a width. */
export function stripsOf(
  blocks: readonly FilledBlock[],
  width: number,
  within: Tag | null,
  tools: Tools,
  bold = false,
): Strip[] {
  const strips: Strip[] = [];
  for (const block of blocks) for (const strip of blockStrips(block, width, within, tools, bold)) strips.push(strip);
  return strips;
}

function blockStrips(
  block: FilledBlock,
  width: number,
  within: Tag | null,
  tools: Tools,
  bold: boolean,
): readonly Strip[] {
  switch (block.is) {
    case 'text': {
      const tag: Tag = { type: block.level === 0 ? 'P' : `H${block.level}`, within };
      return textStrips(block.runs, block.level, block.align, width, tag, tools, bold);
    }
    case 'list':
      return listStrips(block, width, within, tools);
    case 'table':
      return tableStrips(block, width, within, tools);
    case 'rule':
      return [{ height: gap, above: gap, placed: [{ x: 0, y: gap / 2, what: { is: 'rule', width }, tag: null }] }];
    case 'pageBreak':
      return [{ height: 0, above: 0, placed: [], breaks: true }];
    case 'picture': {
      const picture = tools.picture(block.file);
      if (!picture) {
        tools.note('A picture in it cannot be shown.');
        return [];
      }
      const shape = picture.height / picture.width;
      // A picture that is higher than the page is made smaller.
      const wide = Math.min(points(block.width), width, tools.height / shape);
      const tag: Tag = { type: 'Figure', within, alt: block.alt || 'picture' };
      const what: Drawn = { is: 'picture', picture, width: wide, height: wide * shape };
      return [
        { height: wide * shape, above: gap, placed: [{ x: shiftOf(block.align, width - wide), y: 0, what, tag }] },
      ];
    }
    case 'code': {
      const size = Math.min(points(block.width), width, tools.height);
      const tag: Tag = { type: 'Figure', within, alt: block.text };
      const what: Drawn = { is: 'code', text: block.text, size };
      return [{ height: size, above: gap, placed: [{ x: shiftOf(block.align, width - size), y: 0, what, tag }] }];
    }
  }
}

function listStrips(
  { ordered, items }: FilledBlock & { is: 'list' },
  width: number,
  within: Tag | null,
  tools: Tools,
): Strip[] {
  const list: Tag = { type: 'L', within };
  return items.flatMap((item, index) => {
    const li: Tag = { type: 'LI', within: list };
    const [label, body]: [Tag, Tag] = [
      { type: 'Lbl', within: li },
      { type: 'LBody', within: li },
    ];
    const strips = stripsOf(item, width - indent, body, tools);
    return strips.map((strip, at): Strip => {
      const placed = moved(strip.placed, indent, 0);
      const [line] = linesOf([{ text: ordered ? `${index + 1}.` : '•' }], textSize, false, indent, tools.ruler);
      const bullet: Placed[] =
        at === 0 && line ? [{ x: 2, y: 0, what: { is: 'line', line, size: textSize }, tag: label }] : [];
      return { ...strip, above: at === 0 && index > 0 ? gap / 3 : strip.above, placed: [...bullet, ...placed] };
    });
  });
}

/** A row of a table with its cells laid out. */
interface LaidRow {
  readonly cells: readonly { readonly x: number; readonly width: number; readonly strips: readonly Strip[] }[];
}

/** How high strips are below each other; points. */
export const heightOf = (strips: readonly Strip[]): number =>
  strips.reduce((sum, { height, above }, index) => sum + height + (index > 0 ? above : 0), 0);

function rowStrip(row: LaidRow, lines: boolean, head: readonly Strip[]): Strip {
  const { cells } = row;
  const height = Math.max(...cells.map(({ strips }) => heightOf(strips)), lineHeight(textSize)) + 2 * padding.y;
  const placed = cells.flatMap(({ x, width, strips }): Placed[] => {
    const all: Placed[] = lines ? [{ x, y: 0, what: { is: 'box', width, height }, tag: null }] : [];
    let y = padding.y;
    strips.forEach((strip, index) => {
      y += index > 0 ? strip.above : 0;
      for (const one of moved(strip.placed, x + padding.x, y)) all.push(one);
      y += strip.height;
    });
    return all;
  });
  return {
    height,
    above: 0,
    placed,
    ...(head.length > 0 ? { head } : {}),
    cut: (room) => {
      const parts = cutRow(row, room);
      return parts && [rowStrip(parts[0], lines, head), rowStrip(parts[1], lines, head)];
    },
    ...(lines ? {} : { loose: true as const }),
  };
}

/** A row in two: of each cell as much as fits into a height goes first; null where of none anything does. */
function cutRow({ cells }: LaidRow, height: number): readonly [LaidRow, LaidRow] | null {
  const fits = cells.map(({ strips }) => {
    let [count, used] = [0, 2 * padding.y];
    for (const strip of strips) {
      used += strip.height + (count > 0 ? strip.above : 0);
      if (used > height) break;
      count += 1;
    }
    return count;
  });
  if (fits.every((count) => count === 0) || cells.every(({ strips }, at) => fits[at] === strips.length)) return null;
  const part = (of: (strips: readonly Strip[], at: number) => readonly Strip[]): LaidRow => ({
    cells: cells.map((cell, at) => ({ ...cell, strips: of(cell.strips, fits[at] ?? 0) })),
  });
  return [part((strips, count) => strips.slice(0, count)), part((strips, count) => strips.slice(count))];
}

function tableStrips(
  { lines, widths, rows }: FilledBlock & { is: 'table' },
  width: number,
  within: Tag | null,
  tools: Tools,
): Strip[] {
  const table: Tag = { type: 'Table', within };
  const laid = (row: FilledRow): LaidRow => {
    const tr: Tag = { type: 'TR', within: table };
    let column = 0;
    const cells = row.cells.map(({ span, head, blocks }) => {
      const share = (from: number, to: number) => widths.slice(from, to).reduce((all, one) => all + one, 0) * width;
      const cell = { x: share(0, column), width: share(column, column + span) };
      column += span;
      const room = Math.max(cell.width - 2 * padding.x, 1);
      const tag: Tag = { type: head ? 'TH' : 'TD', within: tr };
      const [only, more] = blocks;
      // A cell of one paragraph is that paragraph: half of all there is in a long table.
      const strips =
        only?.is === 'text' && only.level === 0 && !more
          ? textStrips(only.runs, 0, only.align, room, tag, tools, head)
          : stripsOf(blocks, room, tag, tools, head);
      return { ...cell, strips };
    });
    return { cells };
  };
  const headRows = rows.filter(({ head }, index) => head && rows.slice(0, index).every((one) => one.head));
  const head = headRows.map((row) => rowStrip(laid(row), lines, []));
  const strips: Strip[] = head.map((strip) => ({ ...strip, keep: true as const }));
  for (const row of rows.slice(headRows.length)) strips.push(rowStrip(laid(row), lines, head));
  return strips.map((strip, index) => (index === 0 ? { ...strip, above: gap } : strip));
}

/** What stands on one page: each strip at its height. */
export type LaidPage = readonly { readonly y: number; readonly strip: Strip }[];

/** Strips on pages of a height, in order; one page at least. */
export function pagesOf(strips: readonly Strip[], height: number): LaidPage[] {
  const pages: LaidPage[] = [];
  let page: { y: number; strip: Strip }[] = [];
  let used = 0;
  /** Nothing but repeated heads stands on the page yet. */
  let isFresh = true;
  const put = (strip: Strip) => {
    const y = used + (page.length > 0 ? strip.above : 0);
    page.push({ y, strip });
    used = y + strip.height;
    isFresh = false;
  };
  const turn = (next: Strip | undefined) => {
    pages.push(page);
    [page, used] = [[], 0];
    // A repeated head stands for its rows: it is no second table for those who have it read to them.
    for (const again of next?.head ?? []) put({ ...again, placed: again.placed.map((one) => ({ ...one, tag: null })) });
    isFresh = true;
  };
  const left = [...strips].reverse();
  for (let strip = left.pop(); strip; strip = left.pop()) {
    if (strip.breaks) {
      turn(left.at(-1));
      continue;
    }
    // With what it stands above: a heading alone at the foot of a page says nothing.
    let needs = strip.above + strip.height;
    for (let next = left.length - 1, last = strip; last.keep && left[next]; next--) {
      last = left[next] ?? last;
      needs += last.above + last.height;
    }
    if (used + Math.min(needs, height) > height) {
      const room = height - used - (page.length > 0 ? strip.above : 0);
      const isCut = strip.loose === true || (isFresh && strip.height > room);
      const parts = isCut && (isFresh || room > leastCut) ? strip.cut?.(room) : null;
      const [first, rest] = parts ?? [];
      if (first && rest) put(first);
      if ((first && rest) || !isFresh) {
        turn(rest ?? strip);
        left.push(rest ?? strip);
        continue;
      }
    }
    put(strip);
  }
  pages.push(page);
  return pages;
}
