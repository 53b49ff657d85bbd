import { once } from 'node:events';
import { from as copyFrom, type CopyStreamQuery } from 'pg-copy-streams';
import { SheetSample } from '$core/intake/discovery/sample';
import { SheetShape, wishOf } from '$core/intake/sheets/shape';
import { headingOf, type Heading } from '$core/intake/sheets/heading';
import { noRecords, numberIn, type NoRecord } from '$core/intake/sheets/noRecords';
import type { DeclaredSheet, IntakeSheet, LeftOutRow, ReadingFound } from '$core/intake/intake';
import type { SourceFile } from '$core/intake/sheets/sourceFile';
import { ColumnProfiler } from '$core/intake/columns/profile';
import { amongSiblings } from '$core/intake/columns/siblings';
import type { Client } from '../../database/pool';
import { refuse } from '../../base/refusal';
import { raw, sql } from '../../base/sql';
import { stagedName } from './stagedName';

const mostColumns = 1000;
const longestCell = 1_000_000;
/** So many rows are held until it is known whether they are records; of longer sheets the last ones alone. */
const mostHeld = 2_000;
const lastRows = 20;
/** So many rows are left out of a sheet without being asked; of those that become several, so many in parts. */
const mostLeftOut = 500;
const mostParts = 5_000;
/** Rows that are looked at for where the table begins. */
const headingRows = 100;

const escapes: Record<string, string> = { '\\': '\\\\', '\t': '\\t', '\n': '\\n', '\r': '\\r' };
const needsEscape = /[\\\t\n\r]/;
/** A text in COPY's own format; blank is `\N`. */
const copyCell = (text: string): string =>
  text === '' ? '\\N' : needsEscape.test(text) ? text.replace(/[\\\t\n\r]/g, (sign) => escapes[sign] ?? sign) : text;

export interface StagedFile extends Pick<SourceFile, 'name' | 'wish' | 'kept'> {
  /** Its place among the files that came together. */
  readonly index: number;
  /** The names of the fields of each table that stands. */
  readonly standing: readonly ReadonlySet<string>[];
}

/** One sheet on its way into its table. */
export class SheetStaging {
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
  /** How many rows of the file were left out, and how many became those that were taken. */
  private out = 0;
  private taken = 0;
  private shape: SheetShape | null = null;
  /** Sums of the columns as the file has them, where the sheet has others. */
  private readonly sums: number[] = [];

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
    const below = rows.slice(heading.preamble + heading.rows);
    const shape = this.shapeOf(names, below.slice(0, headingRows));
    this.shape = shape;
    const made = shape.names;
    if (made.length > mostColumns)
      throw refuse(
        422,
        `${this.file.name} has ${made.length.toLocaleString('en')} columns; ${mostColumns.toLocaleString('en')} is the most.`,
        'Leave out columns that are not needed.',
      );
    this.profilers = made.map((name, column) => new ColumnProfiler(name, column === 0));
    this.sample = new SheetSample(made);
    const columns = made.map((_, index) => `, c${index} text`).join('');
    await this.client.query(
      sql`
        create unlogged table ${raw(stagedName(this.staged))} (
          _row bigint not null, _unreadable text, _refused text, _target bigint${raw(columns)}
        )
      `,
    );
    const copy = this.client.query(
      copyFrom(
        `copy ${stagedName(this.staged)} (_row, _unreadable${made.map((_, index) => `, c${index}`).join('')}) from stdin`,
      ),
    );
    copy.on('error', (error: Error) => (this.failed = error));
    this.copy = copy;
    await this.hold(below);
  }

  private shapeOf(names: readonly string[], rows: readonly (readonly string[])[]): SheetShape {
    if (this.declared?.columns) return SheetShape.asGiven(names);
    const shape = SheetShape.of(names, rows, wishOf(this.file, this.sheetName, this.file.standing));
    if (!shape.ok)
      throw refuse(422, `${this.sheetName}: ${shape.problem.message}`, shape.problem.fix ?? 'Wish something else.');
    return shape.value;
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
      sums:
        !isEnd || this.released === 0
          ? []
          : this.shape?.isAsGiven
            ? this.profilers.map((one) => one.sumSoFar())
            : this.sums,
    };
    // Totals within a long sheet are found by what they add up to among its first rows, or at its end.
    const isLooked = isEnd || this.released === 0;
    const found = isLooked ? noRecords(names, rows, isEnd, before) : [];
    this.released += rows.length;
    // A sheet of nothing else has its records in them.
    const isAll = found.length === rows.length && this.rows === 0;
    await this.write(
      rows,
      isAll ? [] : found.slice(0, Math.min(mostLeftOut, mostParts / (this.shape?.rowsOfEach ?? 1)) - this.out),
    );
  }

  private async write(rows: readonly (readonly string[])[], noRecord: readonly NoRecord[]): Promise<void> {
    const lines: string[] = [];
    const left = new Map(noRecord.map(({ at, why }) => [at, why]));
    for (const [at, row] of rows.entries()) {
      // A row of nothing but delimiters, as spreadsheets write them below their tables, is no record.
      if (row.every((cell) => cell.trim() === '')) {
        this.blank++;
        continue;
      }
      const why = left.get(at);
      if (why === undefined) lines.push(...this.linesOf(row));
      else this.leave(row, why);
      if (lines.length >= 2000) await this.send(lines.splice(0));
    }
    if (lines.length > 0) await this.send(lines);
  }

  /** Keeps what a row says that is no record. */
  private leave(row: readonly string[], why: string): void {
    this.out++;
    for (const one of this.shape?.beside(row) ?? [row]) {
      const cells = this.profilers.map((_, column) => (one[column] ?? '').trim());
      const inFile = this.shape?.isTurned ? { inFile: this.taken + this.out } : {};
      this.leftOut.push({ row: ++this.numbered, why, cells, ...inFile });
    }
  }

  /** The lines of COPY for a row of the file; several where columns become rows. */
  private linesOf(row: readonly string[]): string[] {
    const width = this.heading?.names.length ?? 0;
    const isLonger = row.length > width && row.slice(width).some((cell) => cell.trim() !== '');
    const unreadable = isLonger ? `has ${row.length} cells where the header has ${width}` : null;
    this.taken++;
    if (isLonger) this.long++;
    if (row.length < width && this.found.kind === 'delimited text') this.short++;
    if (this.shape && !this.shape.isAsGiven)
      for (let column = 0; column < width; column++)
        this.sums[column] = (this.sums[column] ?? 0) + (numberIn((row[column] ?? '').trim()) ?? 0);
    return (this.shape?.take(row) ?? [row]).map((one) => this.line(one, unreadable));
  }

  private line(row: readonly string[], unreadable: string | null): string {
    this.rows++;
    this.numbered++;
    let line = `${this.numbered}\t${unreadable ?? '\\N'}`;
    const texts: string[] | null = this.sample?.isFull === false ? [] : null;
    for (let index = 0; index < this.profilers.length; index++) {
      const text = (row[index] ?? '').trim();
      texts?.push(text);
      if (text.length > longestCell || text.includes('\0')) throw this.unfit(text);
      this.profilers[index]?.take(text);
      line += `\t${copyCell(text)}`;
    }
    if (texts) this.sample?.take(texts);
    return `${line}\n`;
  }

  private unfit(text: string): Error {
    const where = `In ${this.file.name}, row ${this.numbered.toLocaleString('en')}`;
    if (text.includes('\0')) return refuse(422, `${where} holds a NUL character.`, 'Take it out.');
    const [has, most] = [text.length, longestCell].map((length) => length.toLocaleString('en'));
    return refuse(422, `${where} has a cell of ${has} characters; ${most} is the most.`, 'Shorten it.');
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
    const accounted = preamble + rows + this.blank + this.taken + this.out;
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
      ...this.shape?.told(this.taken + this.out),
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
