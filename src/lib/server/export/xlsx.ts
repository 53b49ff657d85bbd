import type { Field, FieldType } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { instantOf, localTime } from '$core/fieldTypes/dateTime';
import { storedKind } from '../fieldTypes/registry';
import { type WorkspaceAccess } from '../access/workspaceAccess';
import { homeOf } from '../access/workspaceState';
import type { Client, Pool } from '../database/pool';
import type { Cell } from '../fieldTypes/kind';
import { cellPages, type Selected } from './cells';
import { xmlText, ZipWriter } from './zip';

/** Days before March 1900 are counted wrongly by this format, so they stay texts. */
const firstDay = '1900-03-01';
/** A sheet has no more rows; what is beyond goes on in the next one. */
const mostRows = 1_048_576;
const msADay = 86_400_000;
/** Day 0 of this format's count, from March 1900 on. */
const dayZero = Date.UTC(1899, 11, 30);

/** A cell has no more characters; programs call a file with more damaged. */
const mostText = 32_767;
const cutNote = ' … (cut: a cell of a workbook holds 32,767 characters)';

/** A text as long as a cell may be; where it is cut, it says so. */
export const textOfCell = (text: string): string =>
  text.length <= mostText ? text : text.slice(0, mostText - cutNote.length).replace(/[\uD800-\uDBFF]$/, '') + cutNote;

/**
 * A text as this format holds it: signs that XML has not, and what looks like one of them, are written out (ECMA-376
 * part 1, 22.9.2.19).
 */
const written = (text: string): string =>
  text.replace(/_(?=x[0-9A-Fa-f]{4}_)/g, '_x005F_').replace(
    // eslint-disable-next-line no-control-regex
    /[\u0000-\u0008\u000B-\u001F\uFFFE\uFFFF]/g,
    (sign) => `_x${sign.charCodeAt(0).toString(16).toUpperCase().padStart(4, '0')}_`,
  );

const serial = (ms: number): number => (ms - dayZero) / msADay;

/**
 * An instant as day and time on the workspace's clocks; null where these do not tell it, as in the hour that comes
 * twice.
 */
function onClocks(instant: string, zone: string): number | null {
  const { day, time } = localTime(instant, zone);
  const local = `${day}T${time}`;
  return day >= firstDay && day.length === 10 && instantOf(local, zone) === instant
    ? serial(Date.parse(`${local}Z`))
    : null;
}

function numberOf({ number, share, date, instant }: Cell, zone: string): number | null {
  if (date !== undefined)
    return date >= firstDay && date.length === 10 ? serial(Date.parse(`${date}T00:00:00Z`)) : null;
  if (instant !== undefined) return onClocks(instant, zone);
  return number ?? share ?? null;
}

/** How a column's values are shown; nothing for what is shown as it is. */
const formatOf = (type: FieldType): string | undefined => storedKind(type).workbookFormat?.(type);

interface Column {
  readonly name: string;
  /** In characters: of the label with the arrow for filters, or of what the kind mostly takes. */
  readonly width: number;
  /** The place of its format among the styles of the workbook. */
  readonly style: number;
}

/** The columns of a sheet, and the formats they use; style 0 is none, style 1 that of the head. */
function columnsOf(
  fields: readonly Field[],
  typeOf: (field: Field) => FieldType,
): { readonly columns: readonly Column[]; readonly formats: readonly string[] } {
  const formats = [...new Set(fields.map((field) => formatOf(typeOf(field))).filter((format) => format !== undefined))];
  const columns = fields.map((field, index) => {
    const type = typeOf(field);
    const format = formatOf(type);
    const width = Math.min(60, Math.max(field.label.length + 4, storedKind(type).workbookWidth ?? 13));
    return { name: columnName(index), width, style: format === undefined ? 0 : formats.indexOf(format) + 2 };
  });
  return { columns, formats };
}

/** `A`, `Z`, `AA`: how columns are named, from 0. */
function columnName(index: number): string {
  const last = String.fromCharCode(65 + (index % 26));
  return index < 26 ? last : columnName(Math.floor(index / 26) - 1) + last;
}

function cellXml(cell: Cell, { name, style }: Column, row: number, zone: string): string {
  if (cell.text === '') return '';
  const at = `r="${name}${row}"`;
  const number = numberOf(cell, zone);
  if (number !== null) return `<c ${at}${style > 0 ? ` s="${style}"` : ''}><v>${number}</v></c>`;
  if (cell.yes !== undefined) return `<c ${at} t="b"><v>${cell.yes ? 1 : 0}</v></c>`;
  return textXml(cell.text, at);
}

const textXml = (text: string, attributes: string): string =>
  `<c ${attributes} t="inlineStr"><is><t xml:space="preserve">${xmlText(written(textOfCell(text)))}</t></is></c>`;

const head = '<?xml version="1.0" encoding="UTF-8" standalone="yes"?>';
const main = 'http://schemas.openxmlformats.org/spreadsheetml/2006/main';
const office = 'http://schemas.openxmlformats.org/officeDocument/2006/relationships';
const types = 'application/vnd.openxmlformats-officedocument.spreadsheetml';

/** A sheet's name may hold no such signs and 31 characters at most. */
function sheetName(label: string, number: number): string {
  const more = number > 1 ? ` ${number}` : '';
  const name = label
    .replace(/[[\]:*?/\\]/g, ' ')
    .slice(0, 31 - more.length)
    .trim();
  return (name || 'Records') + more;
}

const stylesXml = (formats: readonly string[]): string => {
  const numbers = formats
    .map((format, index) => `<numFmt numFmtId="${164 + index}" formatCode="${xmlText(format)}"/>`)
    .join('');
  const uses = formats
    .map(
      (_, index) => `<xf numFmtId="${164 + index}" fontId="0" fillId="0" borderId="0" xfId="0" applyNumberFormat="1"/>`,
    )
    .join('');
  const fonts = '<fonts count="2"><font><sz val="11"/></font><font><b/><sz val="11"/></font></fonts>';
  const fills =
    '<fills count="2"><fill><patternFill patternType="none"/></fill><fill><patternFill patternType="gray125"/></fill></fills>';
  const borders = '<borders count="1"><border><left/><right/><top/><bottom/><diagonal/></border></borders>';
  const plain = '<xf numFmtId="0" fontId="0" fillId="0" borderId="0"';
  return `${head}<styleSheet xmlns="${main}">${formats.length > 0 ? `<numFmts count="${formats.length}">${numbers}</numFmts>` : ''}${fonts}${fills}${borders}<cellStyleXfs count="1">${plain}/></cellStyleXfs><cellXfs count="${formats.length + 2}">${plain} xfId="0"/><xf numFmtId="0" fontId="1" fillId="0" borderId="0" xfId="0" applyFont="1"/>${uses}</cellXfs></styleSheet>`;
};

/** What names the parts of a workbook, once it is known how many sheets it has and how far each goes. */
function frame(
  zip: ZipWriter,
  sheets: readonly { readonly name: string; readonly range: string }[],
  formats: readonly string[],
): void {
  const each = (part: (number: number, name: string, range: string) => string) =>
    sheets.map(({ name, range }, index) => part(index + 1, name, range)).join('');
  const quoted = (name: string) => `'${name.replaceAll("'", "''")}'`;
  const fixed = (range: string) => range.replace(/([A-Z]+)(\d+)/g, '$$$1$$$2');
  zip.whole(
    'xl/workbook.xml',
    `${head}<workbook xmlns="${main}" xmlns:r="${office}"><sheets>${each((number, name) => `<sheet name="${xmlText(name)}" sheetId="${number}" r:id="rId${number}"/>`)}</sheets><definedNames>${each((number, name, range) => `<definedName name="_xlnm._FilterDatabase" localSheetId="${number - 1}" hidden="1">${xmlText(quoted(name))}!${fixed(range)}</definedName>`)}</definedNames></workbook>`,
  );
  zip.whole(
    'xl/_rels/workbook.xml.rels',
    `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships">${each((number) => `<Relationship Id="rId${number}" Type="${office}/worksheet" Target="worksheets/sheet${number}.xml"/>`)}<Relationship Id="rId${sheets.length + 1}" Type="${office}/styles" Target="styles.xml"/></Relationships>`,
  );
  zip.whole('xl/styles.xml', stylesXml(formats));
  zip.whole(
    '_rels/.rels',
    `${head}<Relationships xmlns="http://schemas.openxmlformats.org/package/2006/relationships"><Relationship Id="rId1" Type="${office}/officeDocument" Target="xl/workbook.xml"/></Relationships>`,
  );
  zip.whole(
    '[Content_Types].xml',
    `${head}<Types xmlns="http://schemas.openxmlformats.org/package/2006/content-types"><Default Extension="rels" ContentType="application/vnd.openxmlformats-package.relationships+xml"/><Default Extension="xml" ContentType="application/xml"/><Override PartName="/xl/workbook.xml" ContentType="${types}.sheet.main+xml"/><Override PartName="/xl/styles.xml" ContentType="${types}.styles+xml"/>${each((number) => `<Override PartName="/xl/worksheets/sheet${number}.xml" ContentType="${types}.worksheet+xml"/>`)}</Types>`,
  );
}

/**
 * Records as a workbook (ECMA-376), piece by piece: numbers, shares, amounts, days and instants as such in the format
 * of their field, all else as text that no program runs. The names of the columns stay in sight, and each has a filter.
 */
export async function* xlsxExport(
  connection: Pool | Client,
  access: WorkspaceAccess,
  selected: Selected,
  most = mostRows,
): AsyncGenerator<Uint8Array, void> {
  const { zone } = homeOf(access.workspace, selected.table);
  const { columns, formats } = columnsOf(selected.fields, (field) => shownType(access.workspace.model, field));
  const zip = new ZipWriter();
  const sheets: { name: string; range: string }[] = [];
  const last = columns.at(-1)?.name ?? 'A';
  let row = 0;
  const begin = () => {
    const push = zip.long(`xl/worksheets/sheet${sheets.length + 1}.xml`);
    row = 1;
    const cols = columns
      .map(({ width }, index) => `<col min="${index + 1}" max="${index + 1}" width="${width}" customWidth="1"/>`)
      .join('');
    const labels = selected.fields
      .map(({ label }, index) => textXml(label, `r="${columns[index]?.name}1" s="1"`))
      .join('');
    push(
      `${head}<worksheet xmlns="${main}"><sheetViews><sheetView workbookViewId="0"><pane ySplit="1" topLeftCell="A2" activePane="bottomLeft" state="frozen"/></sheetView></sheetViews>${cols && `<cols>${cols}</cols>`}<sheetData><row r="1">${labels}</row>`,
    );
    return push;
  };
  const end = () => {
    const range = `A1:${last}${row}`;
    push(`</sheetData><autoFilter ref="${range}"/></worksheet>`, true);
    sheets.push({ name: sheetName(selected.table.label, sheets.length + 1), range });
  };
  let push = begin();
  for await (const page of cellPages(connection, access, selected)) {
    let rows = '';
    for (const { cells } of page) {
      if (row === most) {
        push(rows);
        end();
        [rows, push] = ['', begin()];
      }
      row++;
      rows += `<row r="${row}">${cells.map((cell, index) => cellXml(cell, columns[index] as Column, row, zone)).join('')}</row>`;
    }
    push(rows);
    yield* zip.take();
  }
  end();
  frame(zip, sheets, formats);
  yield* zip.end();
}
