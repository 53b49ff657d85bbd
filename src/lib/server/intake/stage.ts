import type { Readable } from 'node:stream';
import { once } from 'node:events';
import Papa from 'papaparse';
import { from as copyFrom, type CopyStreamQuery } from 'pg-copy-streams';
import type { IntakeSheet } from '$core/intake/intake';
import { ColumnProfiler } from '$core/intake/profile';
import { quoteIdentifier } from '$core/sql';
import type { Client } from '../database/pool';
import { refuse } from '../refusal';
import { encodingOf, textOf } from './decode';

export const mostColumns = 1000;
/** Text without a complete row beyond this many characters means a quotation mark that is never closed. */
const longestRow = 8_000_000;
const longestCell = 1_000_000;

const escapes: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
const needsEscape = /[\\\t\n\r]/;
/** A text in COPY's own format; blank is `\N`. */
const copyCell = (text: string): string => (text === '' ? '\\N' : needsEscape.test(text) ? text.replace(/[\\\t\n\r]/g, (sign) => escapes[sign] ?? sign) : text);

/** The staged file's table: `_row` counts from 1, `_refused` says why a row cannot come in, `c0`, `c1`, … hold trimmed texts. */
export const stagedName = (staged: string): string => `loom_staging.${quoteIdentifier(staged)}`;

function columnNames(header: readonly string[]): string[] {
  const taken = new Set<string>();
  return header.map((written, index) => {
    let name = written.trim() || `Column ${index + 1}`;
    for (let n = 2; taken.has(name.toLowerCase()); n++) name = `${written.trim()} ${n}`;
    taken.add(name.toLowerCase());
    return name;
  });
}

const delimiters: Record<string, string> = { ',': 'comma', ';': 'semicolon', '\t': 'tab', '|': 'bar' };

/**
 * Streams one file of delimited text into an unlogged table of texts while learning what its columns are. Nothing holds
 * the whole file: parser, profile and COPY pass chunks on and wait for each other.
 */
export async function stageFile(client: Client, path: string, name: string, staged: string, progress: (rows: number) => Promise<void>): Promise<IntakeSheet> {
  const encoding = await encodingOf(path, name);
  const source = textOf(path, encoding) as Readable;
  const reader = new RowReader(client, staged, name);
  try {
    const delimiter = await readRows(source.setEncoding('utf8'), reader, name, progress);
    return reader.sheet(encoding, delimiters[delimiter] ?? delimiter);
  } catch (error) {
    source.destroy();
    await reader.abort();
    throw error;
  }
}

async function readRows(source: Readable, reader: RowReader, name: string, progress: (rows: number) => Promise<void>): Promise<string> {
  let pending = '';
  let delimiter: string | null = null;
  let first = true;
  for await (const piece of source as AsyncIterable<string>) {
    pending += first ? piece.replace(/^\uFEFF/, '').replace(/^sep=.\r?\n/, '') : piece;
    first = false;
    if (pending.includes('\0')) throw refuse(422, `${name} holds a NUL character after row ${reader.rows}.`, 'Take it out, or save the file as CSV again.');
    if (delimiter === null && pending.length < 4096) continue;
    delimiter ??= guessDelimiter(pending);
    pending = await reader.take(pending, delimiter, false);
    if (pending.length > longestRow)
      throw refuse(422, `In ${name}, row ${reader.rows + 1} opens a quotation mark that is never closed.`, 'Close it or take it out.');
    await progress(reader.rows);
  }
  delimiter ??= guessDelimiter(pending);
  const rest = await reader.take(pending, delimiter, true);
  if (rest !== '') throw refuse(422, `${name} is cut off: row ${reader.rows + 1} opens a quotation mark that is never closed.`, 'Bring in the whole file.');
  await reader.finish();
  return delimiter;
}

function guessDelimiter(text: string): string {
  const found = Papa.parse(text.slice(0, 20_000), { preview: 20, skipEmptyLines: true, delimitersToGuess: [',', ';', '\t', '|'] }).meta.delimiter;
  return delimiters[found] ? found : ',';
}

/** The parser's own class parses a piece of text and says where its last, perhaps unfinished row begins. */
const RowParser = Papa.Parser as unknown as new (config: { delimiter: string; newline: string }) => {
  parse(text: string, base: number, ignoreLastRow: boolean): Papa.ParseResult<string[]>;
};

const newlineOf = (text: string): string => (text.includes('\r\n') ? '\r\n' : text.includes('\n') ? '\n' : '\r');

class RowReader {
  rows = 0;
  private names: string[] = [];
  private profilers: ColumnProfiler[] = [];
  private copy: CopyStreamQuery | null = null;
  private failed: Error | null = null;
  private short = 0;
  private long = 0;

  constructor(
    private readonly client: Client,
    private readonly staged: string,
    private readonly name: string,
  ) {}

  /** Parses what is complete and gives back the rest: the last line may go on in the next piece. */
  async take(text: string, delimiter: string, last: boolean): Promise<string> {
    if (text === '') return '';
    const { data, errors, meta } = new RowParser({ delimiter, newline: newlineOf(text) }).parse(text, 0, !last);
    if (last && errors.some(({ code }) => code === 'MissingQuotes')) return text;
    await this.write(data);
    return last ? '' : text.slice(meta.cursor);
  }

  private async write(rows: readonly string[][]): Promise<void> {
    const lines: string[] = [];
    for (const row of rows) {
      if (row.length === 1 && row[0]?.trim() === '') continue;
      if (this.names.length === 0) {
        await this.begin(row);
        continue;
      }
      lines.push(this.line(row));
      if (lines.length >= 2000) await this.send(lines.splice(0));
    }
    if (lines.length > 0) await this.send(lines);
  }

  private async begin(header: readonly string[]): Promise<void> {
    if (header.length > mostColumns)
      throw refuse(422, `${this.name} has ${header.length} columns; ${mostColumns} is the most.`, 'Leave out columns that are not needed.');
    this.names = columnNames(header);
    this.profilers = this.names.map((name) => new ColumnProfiler(name));
    const columns = this.names.map((_, index) => `, c${index} text`).join('');
    await this.client.query(`create unlogged table ${stagedName(this.staged)} (_row bigint not null, _refused text${columns})`);
    const copy = this.client.query(copyFrom(`copy ${stagedName(this.staged)} from stdin`));
    copy.on('error', (error: Error) => (this.failed = error));
    this.copy = copy;
  }

  private line(row: readonly string[]): string {
    this.rows++;
    const width = this.names.length;
    const extra = row.length > width && row.slice(width).some((cell) => cell.trim() !== '');
    if (row.length < width) this.short++;
    let line = `${this.rows}\t`;
    if (extra) {
      this.long++;
      line += `has ${row.length} cells where the header has ${width}`;
    } else line += '\\N';
    for (let index = 0; index < width; index++) {
      const text = (row[index] ?? '').trim();
      if (text.length > longestCell)
        throw refuse(422, `In ${this.name}, row ${this.rows} has a cell of ${text.length} characters; ${longestCell} is the most.`, 'Shorten it.');
      this.profilers[index]?.take(text);
      line += `\t${copyCell(text)}`;
    }
    return `${line}\n`;
  }

  private async send(lines: readonly string[]): Promise<void> {
    if (this.failed) throw this.failed;
    if (this.copy && !this.copy.write(lines.join(''))) await once(this.copy, 'drain');
  }

  async finish(): Promise<void> {
    if (!this.copy) throw refuse(422, `${this.name} has no header.`, 'Choose a file whose first row names the columns.');
    this.copy.end();
    await once(this.copy, 'finish');
    if (this.rows === 0) throw refuse(422, `${this.name} holds a header but no rows.`, 'Choose a file with at least one row.');
  }

  /** Ends a COPY that is under way without its rows, so that the connection can roll back. */
  async abort(): Promise<void> {
    const copy = this.copy;
    if (!copy || copy.destroyed || copy.writableFinished) return;
    const closed = new Promise((resolve) => copy.once('close', resolve));
    copy.destroy(new Error('the file cannot be read'));
    await closed;
  }

  sheet(encoding: string, delimiter: string): IntakeSheet {
    const columns = this.profilers.map((profiler) => profiler.profile());
    const notes = [
      ...(this.short > 0 ? [`${this.short} rows are shorter than the header; their last columns are blank`] : []),
      ...(this.long > 0 ? [`${this.long} rows are longer than the header and will be refused`] : []),
    ];
    const keys = this.profilers.flatMap((profiler, index) => (profiler.mayBeKey ? [index] : []));
    return { name: this.name.replace(/\.[^.]*$/, ''), rows: this.rows, encoding, delimiter, notes, columns, keys, staged: this.staged };
  }
}
