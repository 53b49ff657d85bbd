import PDFDocument from 'pdfkit';
import { pageSize } from '$core/documents/document';
import { filesIn, type FilledBlock, type FilledDocument, type Layout, type Run } from '$core/documents/filled';
import type { PaperPicture } from '../pictures';
import { heightOf, pagesOf, points, stripsOf, type Strip, type Tools } from './layout';
import { Paper } from './paper';

/** Where headers begin and footers end, in millimetres from the edge. */
const edge = 9;
const aside = points(4);

/** Documents one after the other, as they come or as they are. */
export type Filled = AsyncIterable<FilledDocument> | Iterable<FilledDocument>;

/** What documents are made with. */
export interface PaperTools {
  readonly picture: (file: string) => Promise<PaperPicture | null>;
  readonly note: (words: string) => void;
  /** Labels that stay free at the beginning of the first sheet. */
  readonly skip?: number;
}

/** The number of a page and of all in place of what stands for them. */
function numbered(blocks: readonly FilledBlock[], number: number, count: number): FilledBlock[] {
  const run = (one: Run): Run =>
    one.page === undefined ? one : { ...one, text: String(one.page === 'count' ? count : number) };
  return blocks.map((block): FilledBlock => {
    if (block.is === 'text') return { ...block, runs: block.runs.map(run) };
    if (block.is === 'list') return { ...block, items: block.items.map((item) => numbered(item, number, count)) };
    if (block.is !== 'table') return block;
    const cells = (row: (typeof block.rows)[number]) =>
      row.cells.map((cell) => ({ ...cell, blocks: numbered(cell.blocks, number, count) }));
    return { ...block, rows: block.rows.map((row) => ({ ...row, cells: cells(row) })) };
  });
}

/**
 * Documents as one PDF (ISO 32000-1:2008), tagged, with its fonts in it. Of each document no more is held than of one.
 */
export async function* pdfOf(
  documents: Filled,
  layout: Layout,
  { picture, note, skip = 0 }: PaperTools,
): AsyncGenerator<Uint8Array, void> {
  const doc = new PDFDocument({
    autoFirstPage: false,
    tagged: true,
    lang: layout.language,
    displayTitle: true,
    pdfVersion: '1.7',
    info: { Title: layout.title, Creator: 'Inner Loom', Producer: 'Inner Loom' },
  });
  const missing = new Set<string>();
  const paper = new Paper(doc);
  const ruler = paper.ruler((character) => missing.add(character));
  const page = new PageMaker(doc, paper, layout, ruler, note);
  let written = 0;
  for await (const document of documents) {
    const pictures = new Map<string, PaperPicture | null>();
    for (const file of filesIn([...document.header, ...document.body, ...document.footer]))
      if (!pictures.has(file)) pictures.set(file, await picture(file));
    const shown = (file: string) => pictures.get(file) ?? null;
    if (layout.labels) page.label(document, skip + written, shown);
    else page.document(document, shown);
    written += 1;
    for (let chunk = doc.read() as Buffer | null; chunk; chunk = doc.read() as Buffer | null) yield chunk;
  }
  if (written === 0) doc.addPage({ size: 'A4' });
  page.end();
  if (missing.size > 0)
    note(
      `No font that goes into a PDF has ${[...missing].slice(0, 20).join(' ')}; a box stands for each. HTML and DOCX show them.`,
    );
  doc.end();
  for await (const chunk of doc) yield chunk as Buffer;
}

/** Lays documents out on pages, or on the labels of a sheet. */
class PageMaker {
  private readonly size: readonly [number, number];
  private readonly margins: readonly number[];
  private sheet = -1;
  private tooLong = 0;

  constructor(
    private readonly doc: PDFKit.PDFDocument,
    private readonly paper: Paper,
    private readonly layout: Layout,
    private readonly ruler: Tools['ruler'],
    private readonly note: (words: string) => void,
  ) {
    const [width, height] = pageSize(layout.paper);
    this.size = [points(width), points(height)];
    this.margins = layout.paper.margins.map(points);
  }

  private addPage(): void {
    this.paper.close();
    this.doc.addPage({ size: [...this.size], margin: 0 });
  }

  document(document: FilledDocument, picture: Tools['picture']): void {
    const [width, height] = this.size;
    const [top = 0, right = 0, bottom = 0, left = 0] = this.margins;
    const wide = width - left - right;
    const [headTop, footBottom] = [Math.min(points(edge), top), height - Math.min(points(edge), bottom)];
    const tools: Tools = { ruler: this.ruler, picture, height: height / 3, note: this.note };
    const region = (blocks: readonly FilledBlock[], number: number, count: number) =>
      stripsOf(numbered(blocks, number, count), wide, null, tools);
    const headHeight = heightOf(region(document.header, 88, 88));
    const footHeight = heightOf(region(document.footer, 88, 88));
    const bodyTop = headHeight > 0 ? Math.max(top, headTop + headHeight + aside) : top;
    const bodyBottom = footHeight > 0 ? Math.min(height - bottom, footBottom - footHeight - aside) : height - bottom;
    const room = Math.max(bodyBottom - bodyTop, points(20));
    const pages = pagesOf(stripsOf(document.body, wide, null, { ...tools, height: room }), room);
    this.paper.begin();
    pages.forEach((page, index) => {
      this.addPage();
      this.decorate(region(document.header, index + 1, pages.length), left, headTop);
      for (const { y, strip } of page) for (const placed of strip.placed) this.paper.draw(placed, left, bodyTop + y);
      const foot = region(document.footer, index + 1, pages.length);
      this.decorate(foot, left, footBottom - heightOf(foot));
      this.paper.close();
    });
    this.paper.end();
  }

  /** What stands on each page is no part of the text that is read to somebody. */
  private decorate(strips: readonly Strip[], left: number, top: number): void {
    let y = top;
    strips.forEach((strip, index) => {
      y += index > 0 ? strip.above : 0;
      for (const placed of strip.placed) this.paper.draw({ ...placed, tag: null }, left, y, 'Pagination');
      y += strip.height;
    });
  }

  label({ header, body, footer }: FilledDocument, place: number, picture: Tools['picture']): void {
    const { labels } = this.layout;
    if (!labels) return;
    const each = labels.columns * labels.rows;
    if (Math.floor(place / each) !== this.sheet) {
      this.sheet = Math.floor(place / each);
      this.addPage();
    }
    const [top = 0, , , left = 0] = this.margins;
    const at = place % each;
    const x = left + points((at % labels.columns) * labels.across);
    const y = top + points(Math.floor(at / labels.columns) * labels.down);
    const [width, height] = [points(labels.width), points(labels.height)];
    const inner = points(2);
    const tools: Tools = { ruler: this.ruler, picture, height: height - 2 * inner, note: this.note };
    const strips = stripsOf([...header, ...body, ...footer], width - 2 * inner, null, tools);
    if (heightOf(strips) > height - 2 * inner + 0.5) this.tooLong += 1;
    this.paper.begin();
    this.doc.save().rect(x, y, width, height).clip();
    let down = y + inner;
    strips.forEach((strip, index) => {
      down += index > 0 ? strip.above : 0;
      for (const placed of strip.placed) this.paper.draw(placed, x + inner, down);
      down += strip.height;
    });
    this.paper.end();
    this.doc.restore();
  }

  end(): void {
    this.paper.close();
    if (this.tooLong > 0)
      this.note(
        `${this.tooLong} ${this.tooLong === 1 ? 'label has' : 'labels have'} more on ${this.tooLong === 1 ? 'it' : 'them'} than fits; the rest is cut off. Make the text shorter or the labels larger.`,
      );
  }
}
