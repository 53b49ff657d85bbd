import { once } from 'node:events';
import { from as copyFrom, type CopyStreamQuery } from 'pg-copy-streams';
import { SheetSample } from '$core/intake/discovery/sample';
import { headingOf, type Heading } from '$core/intake/sheets/heading';
import { noRecords, type NoRecord } from '$core/intake/sheets/noRecords';
import type { DeclaredSheet, IntakeSheet, LeftOutRow, ReadingFound, ReadingWish } from '$core/intake/intake';
import { ColumnProfiler } from '$core/intake/columns/profile';
import { amongSiblings } from '$core/intake/columns/siblings';
import { quoteIdentifier } from '$core/base/sql';
import type { Client } from '../../database/pool';
import { refuse } from '../../base/refusal';
import type { FileReader } from '../reading/piece';
import { raw, sql } from '../../base/sql';

const mostColumns = 1000;
const longestCell = 1_000_000;
/** So many rows are held until it is known whether they are records; of longer sheets the last ones alone. */
const mostHeld = 2_000;
const lastRows = 20;
/** So many rows are left out of a sheet without being asked. */
const mostLeftOut = 500;
/** Rows that are looked at for where the table begins. */
const headingRows = 100;

const escapes: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
const needsEscape = /[\\\t\n\r]/;
/** A text in COPY's own format; blank is `\N`. */
const copyCell = (text: string): string =>
  text === '' ? '\\N' : needsEscape.test(text) ? text.replace(/[\\\t\n\r]/g, (sign) => escapes[sign] ?? sign) : text;

/**
 * The staged file's table: `_row` counts from 1, `_unreadable` says why a row cannot come in whatever is decided, `_refused`
 * why it did not in the latest load, `_target` the standing record it is for, `c0`, `c1`, … hold trimmed texts.
 */
export const stagedName = (staged: string): string => `loom_staging.${quoteIdentifier(staged)}`;

export interface StagedFile {
  readonly name: string;
  /** Its place among the files that came together. */
  readonly index: number;
  readonly wish: ReadingWish;
}

/**
 * Streams the sheets of a file into unlogged tables of texts while learning what their columns are. Nothing holds a
 * whole sheet: reader, profile and COPY pass pieces on and wait for each other. `staged` begins the tables' names.
 */
export async function stageFile(
  client: Client,
  reader: FileReader,
  file: StagedFile,
  staged: string,
  progress: (rows: number) => Promise<void>,
): Promise<StagedSheet[]> {
  const sheets: StagedSheet[] = [];
  const besides: string[] = [];
  let current: SheetStaging | null = null;
  let rows = 0;
  const end = async () => {
    const sheet = await current?.finish();
    if (sheet && current?.sample) sheets.push({ sheet, sample: current.sample });
    else if (current)
      besides.push(`the sheet ${current.sheetName} ${current.isBegun ? 'has a header but no rows' : 'is empty'}`);
    current = null;
  };
  try {
    for await (const piece of reader.pieces()) {
      switch (piece.kind) {
        case 'sheet':
          await end();
          current = new SheetStaging(
            client,
            `${staged}_${sheets.length}`,
            file,
            reader.found,
            piece.name,
            piece.declared,
          );
          break;
        case 'rows':
          await current?.take(piece.rows);
          rows += piece.rows.length;
          await progress(rows);
          break;
        case 'note':
          if (current) current.notes.push(piece.text);
          else besides.push(piece.text);
      }
    }
    const only = sheets.length === 0 ? current : null;
    await end();
    if (sheets.length === 0)
      throw only?.isBegun
        ? refuse(422, `${file.name} holds a header but no rows.`, 'Choose a file with at least one row.')
        : refuse(422, `${file.name} holds no rows.`, 'Choose a file with a header and rows.');
    return sheets.map((one, index) =>
      index === 0 ? { ...one, sheet: { ...one.sheet, notes: [...one.sheet.notes, ...besides] } } : one,
    );
  } catch (error) {
    await current?.abort();
    throw error;
  }
}

/** A sheet that stands in its table, with the encoded beginning of it. */
export interface StagedSheet {
  readonly sheet: IntakeSheet;
  readonly sample: SheetSample;
}

/** One sheet on its way into its table. */
class SheetStaging {
  readonly notes: string[] = [];
  sample: SheetSample | null = null;
  private rows = 0;
  /** The number of the last row, those that are left out included. */
  private numbered = 0;
  /** Rows that the reader gave, and those in which nothing stands. */
  private given = 0;
  private blank = 0;
  private waiting: (readonly string[])[] | null = [];
  private heading: Heading | null = null;
  private profilers: ColumnProfiler[] = [];
  private copy: CopyStreamQuery | null = null;
  private failed: Error | null = null;
  private short = 0;
  private long = 0;
  /** The rows that came last: whether they are records is known at the end. */
  private held: (readonly string[])[] = [];
  private released = 0;
  private readonly leftOut: LeftOutRow[] = [];

  constructor(
    private readonly client: Client,
    private readonly staged: string,
    private readonly file: StagedFile,
    private readonly found: ReadingFound,
    readonly sheetName: string,
    private readonly declared: DeclaredSheet | undefined,
  ) {}

  get isBegun(): boolean {
    return this.heading !== null;
  }

  async take(rows: readonly (readonly string[])[]): Promise<void> {
    const filled = rows.filter((row) => row.length > 1 || (row[0] ?? '').trim() !== '');
    this.given += rows.length;
    this.blank += rows.length - filled.length;
    if (!this.waiting) return this.hold(filled);
    for (const row of filled) this.waiting.push(row);
    if (this.waiting.length >= headingRows) await this.begin();
  }

  /** Finds the names among the rows that have come, makes the table and writes the rows below them. */
  private async begin(): Promise<void> {
    const rows = this.waiting ?? [];
    this.waiting = null;
    if (rows.length === 0) return;
    const { preamble, header } = this.file.wish;
    const heading = headingOf(rows, this.declared ? { preamble: 0, rows: 1 } : { preamble, rows: header });
    this.heading = heading;
    const { names } = heading;
    if (names.length > mostColumns)
      throw refuse(
        422,
        `${this.file.name} has ${names.length.toLocaleString('en')} columns; ${mostColumns.toLocaleString('en')} is the most.`,
        'Leave out columns that are not needed.',
      );
    this.profilers = names.map((name, column) => new ColumnProfiler(name, column === 0));
    this.sample = new SheetSample(names);
    const columns = names.map((_, index) => `, c${index} text`).join('');
    await this.client.query(
      sql`
        create unlogged table ${raw(stagedName(this.staged))} (
          _row bigint not null, _unreadable text, _refused text, _target bigint${raw(columns)}
        )
      `,
    );
    const copy = this.client.query(
      copyFrom(
        `copy ${stagedName(this.staged)} (_row, _unreadable${names.map((_, index) => `, c${index}`).join('')}) from stdin`,
      ),
    );
    copy.on('error', (error: Error) => (this.failed = error));
    this.copy = copy;
    await this.hold(rows.slice(heading.preamble + heading.rows));
  }

  /** Takes rows, but for the last ones, which may be totals and notes. */
  private async hold(rows: readonly (readonly string[])[]): Promise<void> {
    if (this.declared) return this.write(rows, []);
    for (const row of rows) this.held.push(row);
    if (this.held.length > mostHeld) await this.release(this.held.splice(0, this.held.length - lastRows), false);
  }

  /** Writes rows that are records, and keeps what the others say. */
  private async release(rows: readonly (readonly string[])[], isEnd: boolean): Promise<void> {
    const names = this.heading?.names ?? [];
    const before = {
      rows: this.released,
      sums: isEnd && this.released > 0 ? this.profilers.map((one) => one.sumSoFar()) : [],
    };
    // Totals within a long sheet are told by what they add up to among its first rows, or at its end.
    const isLooked = isEnd || this.released === 0;
    const found = isLooked ? noRecords(names, rows, isEnd, before) : [];
    this.released += rows.length;
    // A sheet of nothing else has its records in them.
    const isAll = found.length === rows.length && this.rows === 0;
    await this.write(rows, isAll ? [] : found.slice(0, mostLeftOut - this.leftOut.length));
  }

  private async write(rows: readonly (readonly string[])[], noRecord: readonly NoRecord[]): Promise<void> {
    const lines: string[] = [];
    const left = new Map(noRecord.map(({ at, why }) => [at, why]));
    for (const [at, row] of rows.entries()) {
      const why = left.get(at);
      if (why !== undefined) {
        this.numbered++;
        const cells = this.profilers.map((_, column) => (row[column] ?? '').trim());
        this.leftOut.push({ row: this.numbered, why, cells });
        continue;
      }
      const line = this.line(row);
      if (line !== null) lines.push(line);
      if (lines.length >= 2000) await this.send(lines.splice(0));
    }
    if (lines.length > 0) await this.send(lines);
  }

  private line(row: readonly string[]): string | null {
    const width = this.profilers.length;
    let extra = false;
    if (row.length > width)
      for (let index = width; index < row.length; index++) extra ||= (row[index] ?? '').trim() !== '';
    // A row of nothing but delimiters, as spreadsheets write them below their tables, is no record.
    if (!extra && row.every((cell) => cell.trim() === '')) {
      this.blank++;
      return null;
    }
    this.rows++;
    this.numbered++;
    if (row.length < width && this.found.kind === 'delimited text') this.short++;
    let line = `${this.numbered}\t`;
    if (extra) {
      this.long++;
      line += `has ${row.length} cells where the header has ${width}`;
    } else line += '\\N';
    const texts: string[] | null = this.sample?.isFull === false ? [] : null;
    for (let index = 0; index < width; index++) {
      const text = (row[index] ?? '').trim();
      texts?.push(text);
      if (text.length > longestCell)
        throw refuse(
          422,
          `In ${this.file.name}, row ${this.numbered.toLocaleString('en')} has a cell of ${text.length.toLocaleString('en')} characters; ${longestCell.toLocaleString('en')} is the most.`,
          'Shorten it.',
        );
      if (text.includes('\0'))
        throw refuse(
          422,
          `In ${this.file.name}, row ${this.numbered.toLocaleString('en')} holds a NUL character.`,
          'Take it out.',
        );
      this.profilers[index]?.take(text);
      line += `\t${copyCell(text)}`;
    }
    if (texts) this.sample?.take(texts);
    return `${line}\n`;
  }

  private async send(lines: readonly string[]): Promise<void> {
    if (this.failed) throw this.failed;
    if (this.copy && !this.copy.write(lines.join(''))) await once(this.copy, 'drain');
  }

  /** The sheet as it stands in its table; null where it has no rows. */
  async finish(): Promise<IntakeSheet | null> {
    if (this.waiting) await this.begin();
    if (!this.copy || !this.heading) return null;
    await this.release(this.held.splice(0), true);
    this.copy.end();
    await once(this.copy, 'finish');
    if (this.failed) throw this.failed;
    // What declares its columns is a structure worth having without any row.
    if (this.rows === 0 && !this.declared?.columns) {
      await this.client.query(sql`drop table ${raw(stagedName(this.staged))}`);
      return null;
    }
    const { preamble, rows } = this.heading;
    const accounted = preamble + rows + this.blank + this.rows + this.leftOut.length;
    if (accounted !== this.given)
      throw new Error(`${this.sheetName} has ${this.given} rows, of which ${accounted} are accounted for`);
    return {
      file: this.file.index,
      name: this.sheetName,
      rows: this.rows,
      ...(this.blank > 0 ? { blankRows: this.blank } : {}),
      ...(this.leftOut.length > 0 ? { leftOut: this.leftOut } : {}),
      read: this.found,
      heading: { preamble, rows },
      ...(this.declared ? { declared: this.declared } : {}),
      notes: [
        ...(preamble > 0
          ? [`${preamble} ${preamble === 1 ? 'row stands' : 'rows stand'} above the names of the columns`]
          : []),
        ...(rows === 0 ? ['it has no names of columns'] : []),
        ...(this.short > 0
          ? [`${this.short.toLocaleString('en')} rows are shorter than the header; their last columns are blank`]
          : []),
        ...(this.long > 0
          ? [`${this.long.toLocaleString('en')} rows are longer than the header and will be refused`]
          : []),
        ...this.notes,
      ],
      columns: amongSiblings(this.profilers.map((profiler) => profiler.profile(this.found.delimiter))),
      keys: [],
      unique: this.profilers.flatMap((profiler, index) => (profiler.mayBeKey ? [index] : [])),
      staged: this.staged,
    };
  }

  /** Ends a COPY that is under way without its rows, so that the connection can roll back. */
  async abort(): Promise<void> {
    const copy = this.copy;
    if (!copy || copy.destroyed || copy.writableFinished) return;
    const closed = new Promise((resolve) => copy.once('close', resolve));
    copy.destroy(new Error('the file cannot be read'));
    await closed;
  }
}
