import {
  AlignmentType,
  BorderStyle,
  Document,
  Footer,
  Header,
  HeadingLevel,
  ImageRun,
  LevelFormat,
  Packer,
  PageNumber,
  PageOrientation,
  Paragraph,
  SectionType,
  Table,
  TableCell,
  TableRow,
  TextRun,
  WidthType,
  convertMillimetersToTwip,
  type FileChild,
  type ISectionOptions,
} from 'docx';
import { toBuffer } from 'qrcode';
import { pageSize } from '$core/documents/document';
import { codesIn, filesIn, type FilledBlock, type FilledDocument, type Layout, type Run } from '$core/documents/filled';
import { papers } from '$core/types/document';
import { xmlCharacters } from '../export/zip';
import type { PaperPicture } from './pictures';
import type { PaperTools } from './pdf/pdf';

/** What text documents hold of pictures and codes, read before they are written. */
interface Sources {
  readonly pictures: ReadonlyMap<string, PaperPicture | null>;
  readonly codes: ReadonlyMap<string, Buffer>;
  readonly note: (words: string) => void;
}

/** Pixels of the unit in which pictures are measured there, 96 an inch. */
const pixels = (millimetres: number): number => Math.round((millimetres * 96) / 25.4);

const aligned = { left: AlignmentType.START, center: AlignmentType.CENTER, right: AlignmentType.END } as const;
const headings = [undefined, HeadingLevel.HEADING_1, HeadingLevel.HEADING_2, HeadingLevel.HEADING_3] as const;

function textRuns({ text, bold, italic, underline, page }: Run, head: boolean): TextRun[] {
  const look = {
    ...(bold || head ? { bold: true } : {}),
    ...(italic ? { italics: true } : {}),
    ...(underline ? { underline: {} } : {}),
  };
  if (page !== undefined)
    return [new TextRun({ ...look, children: [page === 'count' ? PageNumber.TOTAL_PAGES : PageNumber.CURRENT] })];
  return xmlCharacters(text)
    .split('\n')
    .map((line, index) => new TextRun({ ...look, text: line, ...(index > 0 ? { break: 1 } : {}) }));
}

function blockOut(block: FilledBlock, sources: Sources, wide: number, head: boolean): FileChild[] {
  switch (block.is) {
    case 'text': {
      const heading = headings[block.level];
      return [
        new Paragraph({
          alignment: aligned[block.align],
          ...(heading ? { heading } : {}),
          children: block.runs.flatMap((run) => textRuns(run, head)),
        }),
      ];
    }
    case 'list':
      return block.items.flatMap((item) =>
        item.flatMap((one) =>
          one.is === 'text'
            ? [
                new Paragraph({
                  numbering: { reference: block.ordered ? 'numbers' : 'bullets', level: 0 },
                  children: one.runs.flatMap((run) => textRuns(run, head)),
                }),
              ]
            : blockOut(one, sources, wide, head),
        ),
      );
    case 'table':
      return [tableOut(block, sources, wide)];
    case 'rule':
      return [new Paragraph({ border: { bottom: { style: BorderStyle.SINGLE, size: 6, color: '8A8A80' } } })];
    case 'pageBreak':
      return [new Paragraph({ pageBreakBefore: true })];
    case 'picture': {
      const picture = sources.pictures.get(block.file);
      if (!picture || picture.type === 'svg') {
        sources.note('A picture in it cannot be shown.');
        return [];
      }
      const width = Math.min(block.width, wide);
      const size = { width: pixels(width), height: Math.round((pixels(width) * picture.height) / picture.width) };
      return [pictureOut(picture.bytes, picture.type === 'png' ? 'png' : 'jpg', size, block.align, block.alt)];
    }
    case 'code': {
      const bytes = sources.codes.get(block.text);
      const size = pixels(Math.min(block.width, wide));
      return bytes ? [pictureOut(bytes, 'png', { width: size, height: size }, block.align, block.text)] : [];
    }
  }
}

const pictureOut = (
  data: Buffer,
  type: 'png' | 'jpg',
  transformation: { readonly width: number; readonly height: number },
  align: keyof typeof aligned,
  alt: string,
): Paragraph =>
  new Paragraph({
    alignment: aligned[align],
    children: [
      new ImageRun({ type, data, transformation, altText: { name: alt || 'picture', title: alt, description: alt } }),
    ],
  });

function tableOut({ lines, widths, rows }: FilledBlock & { is: 'table' }, sources: Sources, wide: number): Table {
  const line = lines
    ? { style: BorderStyle.SINGLE, size: 4, color: '8A8A80' }
    : { style: BorderStyle.NONE, size: 0, color: 'auto' };
  const columnWidths = widths.map((width) => convertMillimetersToTwip(width * wide));
  return new Table({
    width: { size: 100, type: WidthType.PERCENTAGE },
    columnWidths,
    borders: { top: line, bottom: line, left: line, right: line, insideHorizontal: line, insideVertical: line },
    rows: rows.map(({ head, cells }) => {
      let column = 0;
      return new TableRow({
        tableHeader: head,
        children: cells.map((cell) => {
          const share = widths.slice(column, column + cell.span).reduce((sum, one) => sum + one, 0);
          column += cell.span;
          const children = cell.blocks.flatMap((block) => blockOut(block, sources, share * wide, cell.head));
          return new TableCell({
            columnSpan: cell.span,
            width: { size: convertMillimetersToTwip(share * wide), type: WidthType.DXA },
            margins: { left: 80, right: 80, top: 40, bottom: 40 },
            // A cell without a paragraph is no cell there (ECMA-376, 17.4.65).
            children: (children.at(-1) instanceof Paragraph
              ? children
              : [...children, new Paragraph({})]) as Paragraph[],
          });
        }),
      });
    }),
  });
}

/** Documents as one text document (ECMA-376) that somebody changes, each beginning on a page of its own. */
export async function docxOf(
  documents: readonly FilledDocument[],
  { title, language, paper }: Layout,
  { picture, note }: PaperTools,
): Promise<Buffer> {
  const all = documents.flatMap(({ header, body, footer }) => [...header, ...body, ...footer]);
  const pictures = new Map<string, PaperPicture | null>();
  for (const file of filesIn(all)) if (!pictures.has(file)) pictures.set(file, await picture(file));
  const codes = new Map<string, Buffer>();
  for (const text of codesIn(all)) if (!codes.has(text)) codes.set(text, await toBuffer(text, { margin: 4, scale: 6 }));
  const sources: Sources = { pictures, codes, note };
  const [top, right, bottom, left] = paper.margins;
  const wide = pageSize(paper)[0] - left - right;
  const [short, long] = papers[paper.size];
  const section = ({ header, body, footer }: FilledDocument): ISectionOptions => ({
    properties: {
      type: SectionType.NEXT_PAGE,
      page: {
        // Word turns the paper itself where it lies across.
        size: {
          width: convertMillimetersToTwip(short),
          height: convertMillimetersToTwip(long),
          orientation: paper.landscape ? PageOrientation.LANDSCAPE : PageOrientation.PORTRAIT,
        },
        margin: {
          top: convertMillimetersToTwip(top),
          right: convertMillimetersToTwip(right),
          bottom: convertMillimetersToTwip(bottom),
          left: convertMillimetersToTwip(left),
        },
        pageNumbers: { start: 1 },
      },
    },
    ...(header.length > 0
      ? {
          headers: {
            default: new Header({
              children: header.flatMap((one) => blockOut(one, sources, wide, false)) as Paragraph[],
            }),
          },
        }
      : {}),
    ...(footer.length > 0
      ? {
          footers: {
            default: new Footer({
              children: footer.flatMap((one) => blockOut(one, sources, wide, false)) as Paragraph[],
            }),
          },
        }
      : {}),
    children: body.flatMap((one) => blockOut(one, sources, wide, false)),
  });
  const file = new Document({
    title,
    creator: 'Inner Loom',
    styles: {
      default: {
        document: {
          run: { font: 'Source Sans 3', size: 21, language: { value: language } },
          paragraph: { spacing: { after: 80 } },
        },
        heading1: { run: { size: 40, bold: true, color: '1C1C1A' }, paragraph: { spacing: { after: 120 } } },
        heading2: {
          run: { size: 30, bold: true, color: '1C1C1A' },
          paragraph: { spacing: { before: 120, after: 80 } },
        },
        heading3: { run: { size: 24, bold: true, color: '1C1C1A' }, paragraph: { spacing: { before: 80, after: 60 } } },
      },
    },
    numbering: {
      config: [
        {
          reference: 'bullets',
          levels: [{ level: 0, format: LevelFormat.BULLET, text: '•', alignment: AlignmentType.START }],
        },
        {
          reference: 'numbers',
          levels: [{ level: 0, format: LevelFormat.DECIMAL, text: '%1.', alignment: AlignmentType.START }],
        },
      ],
    },
    sections: documents.map(section),
  });
  return Packer.toBuffer(file);
}
