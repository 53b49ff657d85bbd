import type { WorkspaceAccess } from '../access/workspaceAccess';
import type { Client, Pool } from '../database/pool';
import type { Cell } from '../fieldTypes/kind';
import { cellPages, type Selected } from './cells';
import { xmlText, ZipWriter } from './zip';

const mimetype = 'application/vnd.oasis.opendocument.spreadsheet';

/** Blanks in a row, at an end, and tabs are elements of their own, or a reader would take them away. */
const paragraph = (line: string): string =>
  `<text:p>${xmlText(line)
    .replace(/\t/g, '<text:tab/>')
    .replace(/ {2,}|^ | $/g, (blanks) => `<text:s text:c="${blanks.length}"/>`)}</text:p>`;

const paragraphs = (text: string): string =>
  text
    .split(/\r\n|\r|\n/)
    .map(paragraph)
    .join('');

function cellXml({ text, number, date, instant, yes }: Cell): string {
  const cell = (kind: string, value: string) =>
    `<table:table-cell office:value-type="${kind}" ${value}>${paragraphs(text)}</table:table-cell>`;
  if (text === '') return '<table:table-cell/>';
  if (number !== undefined) return cell('float', `office:value="${number}"`);
  if (date !== undefined)
    return cell('date', `office:date-value="${date}"`).replace(
      '<table:table-cell ',
      '<table:table-cell table:style-name="day" ',
    );
  if (instant !== undefined) return cell('string', '');
  if (yes !== undefined) return cell('boolean', `office:boolean-value="${yes}"`);
  return cell('string', '');
}

const names =
  'xmlns:office="urn:oasis:names:tc:opendocument:xmlns:office:1.0" xmlns:table="urn:oasis:names:tc:opendocument:xmlns:table:1.0" xmlns:text="urn:oasis:names:tc:opendocument:xmlns:text:1.0" xmlns:style="urn:oasis:names:tc:opendocument:xmlns:style:1.0" xmlns:number="urn:oasis:names:tc:opendocument:xmlns:datastyle:1.0" office:version="1.3"';
const dayStyle =
  '<office:automatic-styles><number:date-style style:name="iso"><number:year number:style="long"/><number:text>-</number:text><number:month number:style="long"/><number:text>-</number:text><number:day number:style="long"/></number:date-style><style:style style:name="day" style:family="table-cell" style:data-style-name="iso"/></office:automatic-styles>';

/** Rows of several sheets as an OpenDocument spreadsheet (ODF 1.3), part by part as its rows come. */
export async function* odsPieces(
  sheets: readonly { readonly name: string; readonly rows: AsyncIterable<readonly (readonly Cell[])[]> }[],
): AsyncGenerator<Uint8Array, void> {
  const zip = new ZipWriter();
  // The kind of file comes first and as it is.
  zip.whole('mimetype', mimetype, true);
  zip.whole(
    'META-INF/manifest.xml',
    `<?xml version="1.0" encoding="UTF-8"?><manifest:manifest xmlns:manifest="urn:oasis:names:tc:opendocument:xmlns:manifest:1.0" manifest:version="1.3"><manifest:file-entry manifest:full-path="/" manifest:media-type="${mimetype}"/><manifest:file-entry manifest:full-path="content.xml" manifest:media-type="text/xml"/></manifest:manifest>`,
  );
  const push = zip.long('content.xml');
  push(
    `<?xml version="1.0" encoding="UTF-8"?><office:document-content ${names}>${dayStyle}<office:body><office:spreadsheet>`,
  );
  for (const { name, rows } of sheets) {
    push(`<table:table table:name="${xmlText(name)}"><table:table-column/>`);
    for await (const page of rows) {
      push(page.map((cells) => `<table:table-row>${cells.map(cellXml).join('')}</table:table-row>`).join(''));
      yield* zip.take();
    }
    push('</table:table>');
  }
  push('</office:spreadsheet></office:body></office:document-content>', true);
  yield* zip.end();
}

/** Records as an OpenDocument spreadsheet of one sheet. */
export function odsExport(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
): AsyncGenerator<Uint8Array, void> {
  async function* rows() {
    yield [selected.fields.map(({ label }): Cell => ({ text: label }))];
    for await (const page of cellPages(connection, access, selected)) yield page.map(({ cells }) => cells);
  }
  return odsPieces([{ name: selected.table.label, rows: rows() }]);
}
