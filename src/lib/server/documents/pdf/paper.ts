import type PDFKit from 'pdfkit';
import { create } from 'qrcode';
import { fontFiles, type FontName } from './fonts';
import type { Placed, Tag } from './layout';
import drawSvg from 'svg-to-pdfkit';
import type { Pixels } from '../pictures';
import type { Ruler } from './lines';

const ink = '#1c1c1a';
const lineColour = '#8a8a80';

/** What is written already keeps its number alone: pdfkit holds each element until the file ends. */
function forget(element: PDFKit.PDFStructureElement): void {
  const { dictionary } = element as unknown as { dictionary: { data: object } };
  dictionary.data = nothing;
}
const nothing = Object.freeze({});

/** The structure of one document, for those who have it read to them, and what is drawn as part of it. */
export class Paper {
  private readonly elements = new Map<Tag, PDFKit.PDFStructureElement>();
  private readonly images = new WeakMap<Pixels, Buffer>();
  private root: PDFKit.PDFStructureElement | null = null;
  private open: Tag | 'decoration' | null = null;

  constructor(private readonly doc: PDFKit.PDFDocument) {
    for (const [name, file] of Object.entries(fontFiles)) doc.registerFont(name, file);
  }

  /** What measures text as it is drawn. */
  ruler(missing: Ruler['missing']): Ruler {
    const fontOf = (name: FontName) => {
      this.doc.font(name);
      // pdfkit's own type leaves out the font that it holds.
      return (this.doc as unknown as { _font: { font: { hasGlyphForCodePoint(code: number): boolean } } })._font.font;
    };
    const known = new Map<string, boolean>();
    return {
      has: (font, code) => {
        const key = `${font} ${code}`;
        const found = known.get(key) ?? fontOf(font).hasGlyphForCodePoint(code);
        known.set(key, found);
        return found;
      },
      widthOf: (text, font, size) => this.doc.font(font).fontSize(size).widthOfString(text),
      missing,
    };
  }

  /** What is drawn from now on is another document. */
  begin(): void {
    this.root = this.doc.struct('Document');
    this.doc.addStructure(this.root);
  }

  /** Lets go of what was drawn, so that memory does not grow with documents. */
  end(): void {
    this.close();
    this.root?.end();
    for (const element of this.elements.values()) forget(element);
    this.elements.clear();
  }

  /** To be called before a page ends: what is marked does not go over its end. */
  close(): void {
    if (this.open !== null) this.doc.endMarkedContent();
    this.open = null;
  }

  /** Each picture stands in the file once. */
  private imageOf(picture: Pixels): Buffer {
    const known = this.images.get(picture);
    if (known) return known;
    // pdfkit’s own type of `openImage` does not say that what it gives can be drawn.
    const image = (this.doc as unknown as { openImage(bytes: Buffer): Buffer }).openImage(picture.bytes);
    this.images.set(picture, image);
    return image;
  }

  private elementOf(tag: Tag): PDFKit.PDFStructureElement {
    const known = this.elements.get(tag);
    if (known) return known;
    const element = this.doc.struct(tag.type, tag.alt === undefined ? {} : { alt: tag.alt });
    const parent = tag.within ? this.elementOf(tag.within) : this.root;
    parent?.add(element);
    this.elements.set(tag, element);
    return element;
  }

  private mark(tag: Tag | null, decoration: 'Pagination' | 'Layout'): void {
    const wanted = tag ?? 'decoration';
    if (this.open === wanted) return;
    this.close();
    this.open = wanted;
    if (tag === null) this.doc.markContent('Artifact', { type: decoration });
    else this.elementOf(tag).add(this.doc.markStructureContent(tag.type));
  }

  /** Draws at a place of the page; points. */
  draw({ x, y, what, tag }: Placed, left: number, top: number, decoration: 'Pagination' | 'Layout' = 'Layout'): void {
    this.mark(tag, decoration);
    const { doc } = this;
    const [atX, atY] = [left + x, top + y];
    switch (what.is) {
      case 'line': {
        let at = atX;
        for (const { text, font, size, underline, width } of what.line.pieces) {
          doc.font(font).fontSize(size).fillColor(ink);
          doc.text(text, at, atY + size * 1.05, { lineBreak: false, baseline: 'alphabetic', underline });
          at += width;
        }
        return;
      }
      case 'picture':
        if (what.picture.type === 'svg')
          drawSvg(doc, what.picture.svg, atX, atY, {
            width: what.width,
            height: what.height,
            fontCallback: (_, isBold) => (isBold ? 'sans-bold' : 'sans'),
          });
        else doc.image(this.imageOf(what.picture), atX, atY, { width: what.width, height: what.height });
        return;
      case 'code': {
        const { size, data } = create(what.text, { errorCorrectionLevel: 'M' }).modules;
        // Four modules around it stay white (ISO/IEC 18004).
        const step = what.size / (size + 8);
        for (let row = 0; row < size; row++)
          for (let column = 0; column < size; column++)
            if (data[row * size + column])
              doc.rect(atX + (column + 4) * step, atY + (row + 4) * step, step * 1.02, step * 1.02);
        doc.fill('#000000');
        return;
      }
      case 'rule':
        doc
          .moveTo(atX, atY)
          .lineTo(atX + what.width, atY)
          .lineWidth(0.75)
          .stroke(lineColour);
        return;
      case 'box':
        doc.rect(atX, atY, what.width, what.height).lineWidth(0.5).stroke(lineColour);
        return;
    }
  }
}
