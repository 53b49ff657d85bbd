import type { FilledBlock, FilledCell, FilledDocument, Layout, Run } from './filled';

/** What stands for pictures and codes in a page of HTML. */
export interface HtmlSources {
  /** The address of a picture, its contents included; null for what cannot be shown. */
  picture(file: string): string | null;
  /** A code as SVG. */
  code(text: string): string;
}

const escaped = (text: string): string =>
  text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');

const marked = ({ text, bold, italic, underline, page }: Run): string => {
  // A browser has one long page.
  const words = page === undefined ? escaped(text).replaceAll('\n', '<br>') : '1';
  const slanted = italic ? `<em>${words}</em>` : words;
  const strong = bold ? `<strong>${slanted}</strong>` : slanted;
  return underline ? `<u>${strong}</u>` : strong;
};

function blockHtml(block: FilledBlock, sources: HtmlSources): string {
  switch (block.is) {
    case 'text': {
      const name = block.level === 0 ? 'p' : `h${block.level}`;
      const inner = block.runs.map(marked).join('');
      return `<${name} class="${block.align}">${inner || '<br>'}</${name}>`;
    }
    case 'list': {
      const name = block.ordered ? 'ol' : 'ul';
      return `<${name}>${block.items.map((item) => `<li>${blocksHtml(item, sources)}</li>`).join('')}</${name}>`;
    }
    case 'table': {
      const columns = block.widths.map((width) => `<col style="width:${(width * 100).toFixed(2)}%">`).join('');
      const head = block.rows.filter((row) => row.head);
      const rows = block.rows.filter((row) => !row.head);
      const rowHtml = ({ cells }: { cells: readonly FilledCell[] }) =>
        `<tr>${cells.map((cell) => cellHtml(cell, sources)).join('')}</tr>`;
      return `<table${block.lines ? ' class="lines"' : ''}><colgroup>${columns}</colgroup>${
        head.length > 0 ? `<thead>${head.map(rowHtml).join('')}</thead>` : ''
      }<tbody>${rows.map(rowHtml).join('')}</tbody></table>`;
    }
    case 'rule':
      return '<hr>';
    case 'pageBreak':
      return '<div class="break"></div>';
    case 'picture': {
      const source = sources.picture(block.file);
      return source === null
        ? ''
        : `<figure class="${block.align}"><img src="${escaped(source)}" alt="${escaped(block.alt)}" style="width:${block.width}mm"></figure>`;
    }
    case 'code':
      return `<figure class="${block.align}" role="img" aria-label="${escaped(block.text)}"><span class="code" style="width:${block.width}mm">${sources.code(block.text)}</span></figure>`;
  }
}

function cellHtml({ span, head, blocks }: FilledCell, sources: HtmlSources): string {
  const name = head ? 'th' : 'td';
  return `<${name}${span > 1 ? ` colspan="${span}"` : ''}>${blocksHtml(blocks, sources)}</${name}>`;
}

const blocksHtml = (blocks: readonly FilledBlock[], sources: HtmlSources): string =>
  blocks.map((block) => blockHtml(block, sources)).join('');

/** The beginning of a page of HTML with documents of this layout, up to the first of them. */
export const htmlBegin = ({ title, language, paper }: Layout): string => `<!doctype html>
<html lang="${escaped(language)}"><head><meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<title>${escaped(title)}</title>
<style>
@page { size: ${paper.size} ${paper.landscape ? 'landscape' : 'portrait'}; margin: ${paper.margins.map((side) => `${side}mm`).join(' ')}; }
body { margin: 0; font: 10.5pt/1.4 'Source Sans 3', 'Source Sans 3 Variable', sans-serif; color: #1c1c1a; background: #fff; overflow-wrap: anywhere; }
article { break-after: page; }
p, h1, h2, h3, figure, ul, ol, table { margin: 0 0 6pt; }
h1 { font-size: 20pt; line-height: 1.2; } h2 { font-size: 15pt; line-height: 1.2; } h3 { font-size: 12pt; }
ul, ol { padding-left: 16pt; }
table { width: 100%; border-collapse: collapse; table-layout: fixed; }
th, td { padding: 2pt 4pt; text-align: left; vertical-align: top; }
th p, td p { margin: 0; }
th { font-weight: 700; }
.lines th, .lines td { border: 0.5pt solid #8a8a80; }
.center { text-align: center; } .right { text-align: right; }
hr { margin: 6pt 0; border: 0; border-top: 0.75pt solid #8a8a80; }
img { max-width: 100%; } .code { display: inline-block; } .code svg { display: block; width: 100%; }
.break { break-after: page; }
header, footer { color: #4a4a44; font-size: 9pt; }
header { margin-bottom: 12pt; } footer { margin-top: 12pt; }
@media screen { body { padding: 12mm; } article + article { margin-top: 12mm; padding-top: 12mm; border-top: 1px dashed #8a8a80; } .break { margin: 6mm 0; border-top: 1px dashed #8a8a80; } }
</style></head><body>`;

/** One document of it. */
export function htmlOf({ header, body, footer }: FilledDocument, sources: HtmlSources): string {
  const region = (name: string, blocks: readonly FilledBlock[]) =>
    blocks.length > 0 ? `<${name}>${blocksHtml(blocks, sources)}</${name}>` : '';
  return `<article>${region('header', header)}${blocksHtml(body, sources)}${region('footer', footer)}</article>`;
}

export const htmlEnd = '</body></html>\n';
