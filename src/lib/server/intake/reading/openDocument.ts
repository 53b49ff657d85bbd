import { refuse } from '../../base/refusal';
import type { Archive } from './archive';
import { isoText, plainNumber } from './numberFormat';
import { blankRows, type Piece } from './piece';
import { xmlReader } from './xml';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';

const mostCells = 50_000_000;
const mostColumns = 16_384;

/**
 * Reads the sheets of an OpenDocument spreadsheet (ODF 1.3, part 3): values as the file means them, line breaks kept,
 * repeated cells and rows given in full.
 */
export async function* openDocumentPieces(
  archive: Archive,
  file: string,
  mostRows = Infinity,
): AsyncGenerator<Piece, void> {
  if (archive.has('META-INF/manifest.xml') && (await archive.text('META-INF/manifest.xml')).includes('encryption-data'))
    throw refuse(422, `${file} is protected by a password.`, 'Save it without one.');
  if (!archive.has('content.xml'))
    throw refuse(422, `${file} is cut off or damaged.`, 'Save it again and bring in the whole file.');
  const reading = new ContentReading(file, mostRows);
  for await (const chunk of archive.chunks('content.xml')) {
    reading.write(chunk);
    yield* reading.take();
  }
  reading.end();
  yield* reading.take();
  if (archive.parts.some((part) => /^(?:Basic|Scripts)\/./.test(part)))
    yield { kind: 'note', text: 'it holds macros, which were not looked at' };
}

type Attributes = Readonly<Record<string, string>>;

class ContentReading {
  private pieces: Piece[] = [];
  private rows: string[][] = [];
  private sheet: string | null = null;
  private given = 0;
  /** Rows in which nothing stands, since the last one. */
  private blank = 0;
  private begun = false;
  private row: string[] = [];
  private filled = false;
  private times = 1;
  private cells = 0;
  private cell: Attributes | null = null;
  private text: string | null = null;
  private paragraphs = 0;
  private written = '';
  private besides = 0;
  private hidden = 0;
  private readonly errors = new Map<string, number>();
  /** Cells shown as one over several rows: what they hold, and how many rows below they still go over, by column. */
  private readonly spans = new Map<number, { readonly value: string; rows: number }>();
  private spanned = 0;
  private style = '';
  private readonly hiddenStyles = new Set<string>();
  private hiddenSheet = false;
  private readonly reader: ReturnType<typeof xmlReader>;

  constructor(
    private readonly file: string,
    private readonly mostRows: number,
  ) {
    this.reader = xmlReader(file, {
      open: (name, attributes) => this.open(name, attributes),
      text: (text) => this.addText(text),
      close: (name) => this.close(name),
    });
  }

  write = (chunk: Buffer): void => this.reader.write(chunk);
  end = (): void => this.reader.end();

  take(): Piece[] {
    this.flush();
    const pieces = this.pieces;
    this.pieces = [];
    return pieces;
  }

  private flush(): void {
    if (this.rows.length === 0) return;
    if (!this.begun) this.pieces.push({ kind: 'sheet', name: this.sheet ?? 'Sheet' });
    this.begun = true;
    this.pieces.push({ kind: 'rows', rows: this.rows });
    this.rows = [];
  }

  private open(name: string, attributes: Attributes): void {
    // Notes on cells and their drawings have paragraphs of their own, which are no values.
    if (name === 'annotation' || name === 'frame' || name === 'custom-shape') this.besides++;
    if (this.besides > 0) return;
    switch (name) {
      case 'style':
        this.style = attributes['style:name'] ?? '';
        break;
      case 'table-properties':
        if (attributes['table:display'] === 'false') this.hiddenStyles.add(this.style);
        break;
      case 'table':
        this.sheet = attributes['table:name'] ?? 'Sheet';
        [this.begun, this.given, this.blank, this.hidden, this.spanned] = [false, 0, 0, 0, 0];
        this.errors.clear();
        this.spans.clear();
        this.hiddenSheet = this.hiddenStyles.has(attributes['table:style-name'] ?? '');
        break;
      case 'table-row':
        this.row = [];
        this.filled = false;
        this.times = Number(attributes['table:number-rows-repeated'] ?? 1);
        if ((attributes['table:visibility'] ?? 'visible') !== 'visible') this.hidden += Math.min(this.times, 1);
        break;
      case 'table-cell':
      case 'covered-table-cell':
        this.cell = attributes;
        this.written = '';
        this.paragraphs = 0;
        break;
      case 'p':
        if (this.cell && this.paragraphs++ > 0) this.written += '\n';
        this.text = '';
        break;
      case 's':
        if (this.text !== null) this.text += ' '.repeat(Math.min(1000, Number(attributes['text:c'] ?? 1)));
        break;
      case 'tab':
        if (this.text !== null) this.text += '\t';
        break;
      case 'line-break':
        if (this.text !== null) this.text += '\n';
    }
  }

  private addText(text: string): void {
    if (this.text !== null && this.besides === 0) this.text += text;
  }

  private close(name: string): void {
    if (name === 'annotation' || name === 'frame' || name === 'custom-shape') this.besides--;
    if (this.besides > 0) return;
    switch (name) {
      case 'p':
        this.written += this.text ?? '';
        this.text = null;
        break;
      case 'table-cell':
      case 'covered-table-cell':
        this.endCell();
        break;
      case 'table-row':
        this.endRow();
        break;
      case 'table':
        this.flush();
        if (this.begun) for (const text of this.notes()) this.pieces.push({ kind: 'note', text });
        this.sheet = null;
    }
  }

  private notes(): string[] {
    const n = (count: number, one: string, many: string) => `${count.toLocaleString('en')} ${count === 1 ? one : many}`;
    return [
      ...(this.hiddenSheet ? ['the sheet is hidden in the file'] : []),
      ...(this.spanned > 0 ? [`${n(this.spanned, 'cell was', 'cells were')} filled from merged cells above`] : []),
      ...(this.hidden > 0 ? [`${n(this.hidden, 'hidden row was', 'hidden rows were')} read as well`] : []),
      ...[...this.errors].map(
        ([error, count]) =>
          `${n(count, 'cell holds', 'cells hold')} the error ${error} and ${count === 1 ? 'is' : 'are'} blank`,
      ),
    ];
  }

  private endCell(): void {
    if (!this.cell) return;
    const times = Number(this.cell['table:number-columns-repeated'] ?? 1);
    const value = this.valueOf(this.cell);
    const over = Number(this.cell['table:number-rows-spanned'] ?? 1);
    if (over > 1 && value !== '') this.spans.set(this.row.length, { value, rows: over });
    this.cell = null;
    // Only what is filled is repeated; a blank rest of thousands of columns says nothing.
    if (value === '') {
      this.row.length += Math.min(times, Math.max(0, mostColumns - this.row.length));
      return;
    }
    if (this.row.length + times > mostColumns)
      throw refuse(
        422,
        `${this.file} has a sheet of more columns than can be read.`,
        'Save the part that is needed as CSV.',
      );
    for (let i = 0; i < times; i++) this.row.push(value);
    this.filled = true;
  }

  private endRow(): void {
    if (this.filled)
      for (const [column, { value }] of this.spans)
        if ((this.row[column] ?? '') === '') {
          this.row[column] = value;
          this.spanned++;
        }
    for (const [column, span] of this.spans) if ((span.rows -= this.times) <= 0) this.spans.delete(column);
    if (!this.filled) {
      this.blank += this.times;
      return;
    }
    if (this.given > 0) this.rows.push(...blankRows(this.blank));
    this.blank = 0;
    let end = this.row.length;
    while (end > 0 && !this.row[end - 1]) end--;
    const row = Array.from({ length: end }, (_, index) => this.row[index] ?? '');
    this.cells += end * this.times;
    if (this.cells > mostCells)
      throw refuse(422, `${this.file} has more cells than can be read.`, 'Save the part that is needed as CSV.');
    for (let i = 0; i < this.times && this.given < this.mostRows; i++) {
      this.rows.push(row);
      this.given++;
    }
  }

  /** The value as a text, by its type; what the cell shows only where it is a text. */
  private valueOf(cell: Attributes): string {
    const value = cell['office:value'] ?? '';
    // A cell with an error says beside it that it is a text.
    switch (
      cell['calcext:value-type'] === 'error' ? 'error' : (cell['office:value-type'] ?? cell['calcext:value-type'])
    ) {
      case 'error': {
        const error = this.written.trim() || 'of its formula';
        this.errors.set(error, (this.errors.get(error) ?? 0) + 1);
        return '';
      }
      case 'float':
        return plainNumber(value);
      case 'percentage':
        return `${canonicalNumber(new Exact(plainNumber(value)).times(100))} %`;
      case 'currency': {
        const currency = cell['office:currency'];
        return currency ? `${plainNumber(value)} ${currency}` : plainNumber(value);
      }
      case 'boolean':
        return cell['office:boolean-value'] === 'true' ? 'yes' : 'no';
      case 'date':
        return isoText(cell['office:date-value'] ?? '');
      case 'time':
        return durationText(cell['office:time-value'] ?? '');
      default:
        return cell['office:string-value'] ?? this.written;
    }
  }
}

/** `PT26H30M00S` (ISO 8601) as `26:30`. */
function durationText(written: string): string {
  const found = /^P(?:(\d+)D)?T(?:(\d+)H)?(?:(\d+)M)?(?:(\d+)(?:[.,]\d+)?S)?$/.exec(written);
  if (!found) return written;
  const [days, hours, minutes, seconds] = [1, 2, 3, 4].map((place) => Number(found[place] ?? 0)) as [
    number,
    number,
    number,
    number,
  ];
  const two = (n: number) => String(n).padStart(2, '0');
  return `${two(days * 24 + hours)}:${two(minutes)}${seconds > 0 ? `:${two(seconds)}` : ''}`;
}
