import { bad, good, type Result } from '../../base/problem';
import type { Table } from '../../types/model';
import { bareName } from '../discover';
import type { IntakeSheet, ReadingWish } from '../intake';
import { columnParts, namesWithParts, rowWithParts, type ColumnParts } from './columnParts';
import { missesTotal } from './addedUp';
import type { ShapeWishKind, SourceFile } from './sourceFile';
import { turnedNames, turnedRows, turnFor, type Turn } from './columnsToRows';

type Rows = readonly (readonly string[])[];

/**
 * What the reading of a file wishes of one sheet. `standing`: the names of the fields of each table that stands, as
 * `bareName` gives them; columns that are fields of one stay as they are, unless a person says otherwise.
 */
export const wishOf = (
  { wish: { fill, parts, turns }, kept = [] }: Pick<SourceFile, 'wish' | 'kept'>,
  sheet: string,
  standing: readonly ReadonlySet<string>[] = [],
): ShapeWish => ({
  fill: fill?.[sheet] ?? [],
  parts: parts?.[sheet] ?? {},
  turn: turns?.[sheet],
  kept,
  standing,
});

/** A wish without the columns that are not there any more, where it is one of before. */
function whatHolds(names: readonly string[], wish: ShapeWish): ShapeWish {
  const { fill, parts, kept } = wish;
  const isThere = (name: string) => names.includes(name);
  return {
    ...wish,
    fill: kept.includes('fill') ? fill.filter(isThere) : fill,
    parts: kept.includes('parts') ? Object.fromEntries(Object.entries(parts).filter(([name]) => isThere(name))) : parts,
  };
}

/** The names of a table's fields, as columns are compared with them. */
export const fieldNames = ({ fields }: Table): ReadonlySet<string> =>
  new Set(fields.flatMap(({ label, key }) => [bareName(label), bareName(key)]));

type Wishes<K extends 'fill' | 'parts' | 'turns'> = NonNullable<ReadingWish[K]>[string];

interface ShapeWish {
  readonly fill: Wishes<'fill'>;
  readonly parts: Wishes<'parts'>;
  readonly turn: Wishes<'turns'> | undefined;
  readonly kept: readonly ShapeWishKind[];
  readonly standing: readonly ReadonlySet<string>[];
}

/** Whether most of the columns that would become rows are fields of a table that stands. */
function areFields(names: readonly string[], { parts }: Turn, standing: readonly ReadonlySet<string>[]): boolean {
  const columns = parts.flatMap((part) => part.columns.flatMap((column) => names[column ?? -1] ?? []));
  return standing.some((fields) => columns.filter((name) => fields.has(bareName(name))).length >= columns.length / 2);
}

/**
 * How the rows of a file become those of its sheet, one after the other: blank cells say what stands above, columns
 * become several, columns become rows.
 */
export class SheetShape {
  readonly names: readonly string[];
  /** A row of the file is one of the sheet, column by column. */
  readonly isAsGiven: boolean;
  /** A row of the file becomes several, up to so many. */
  readonly isTurned: boolean;
  readonly rowsOfEach: number;
  /** Columns whose blank cells say what stands above, with that. */
  private readonly above: Map<number, string>;
  private filledCells = 0;
  /** How many rows each of the totals misses. */
  private readonly missed: number[];

  private constructor(
    private readonly given: readonly string[],
    private readonly wish: ShapeWish,
    private readonly parts: readonly ColumnParts[],
    private readonly turn: Turn | null,
  ) {
    const named = this.named;
    this.names = turn ? turnedNames(named, turn) : named;
    this.above = new Map(wish.fill.map((name) => [given.indexOf(name), '']));
    this.missed = (turn?.totals ?? []).map(() => 0);
    this.isTurned = turn !== null;
    this.rowsOfEach = turn?.parts.length ?? 1;
    this.isAsGiven = turn === null && parts.length === 0;
  }

  /** Told from the names and some of the rows, by what a person wishes. */
  static of(names: readonly string[], rows: Rows, wished: ShapeWish): Result<SheetShape> {
    const wish = whatHolds(names, wished);
    const missing = [...wish.fill, ...Object.keys(wish.parts)].filter((name) => !names.includes(name));
    if (missing.length > 0)
      return bad(
        `There is no column ${missing.map((name) => `“${name}”`).join(', ')}.`,
        `Choose among ${names.slice(0, 20).join(', ')}.`,
      );
    const parts = columnParts(names, rows, wish.parts);
    const cells = rows.map((row) => rowWithParts(row, parts, names.length));
    const named = namesWithParts(names, parts);
    const asWished = turnFor(named, cells, wish.turn);
    const isGone = wish.turn && !asWished && wish.kept.includes('turns');
    const found = isGone ? turnFor(named, cells, undefined) : asWished;
    const turn = found && (!wish.turn || isGone) && areFields(named, found, wish.standing) ? null : found;
    if (wish.turn && !turn && !isGone)
      return bad(
        `There are not all of the columns ${wish.turn.columns.join(', ')}, or no other ones.`,
        'Choose among the columns of the sheet, and let some stay.',
      );
    return good(new SheetShape(names, isGone ? { ...wish, turn: undefined } : wish, parts, turn));
  }

  /** Rows stay as the file has them. */
  static asGiven = (names: readonly string[]): SheetShape =>
    new SheetShape(names, { fill: [], parts: {}, turn: null, kept: [], standing: [] }, [], null);

  /** The names of the columns, those in parts included. */
  private get named(): readonly string[] {
    return namesWithParts(this.given, this.parts);
  }

  /** The rows that a record of the file becomes. */
  take(row: readonly string[]): readonly (readonly string[])[] {
    const filled = this.filledDown(row);
    if (this.isAsGiven) return [filled];
    const cells = rowWithParts(filled, this.parts, this.given.length);
    this.turn?.totals.forEach((total, at) => {
      if (missesTotal(total, cells)) this.missed[at] = (this.missed[at] ?? 0) + 1;
    });
    return this.turn ? turnedRows(cells, this.turn) : [cells];
  }

  /** The same of a row that is no record. */
  beside(row: readonly string[]): readonly (readonly string[])[] {
    const cells = rowWithParts(row, this.parts, this.given.length);
    return this.turn ? turnedRows(cells, this.turn) : [cells];
  }

  private filledDown(row: readonly string[]): readonly string[] {
    if (this.above.size === 0) return row;
    const filled = Array.from({ length: Math.max(row.length, this.given.length) }, (_, column) => row[column] ?? '');
    for (const [column, above] of this.above) {
      const own = row[column] ?? '';
      if (own.trim() !== '') this.above.set(column, own);
      else if (above !== '') {
        filled[column] = above;
        this.filledCells++;
      }
    }
    return filled;
  }

  /** What is told of it with the sheet; `rows`: so many rows of the file it was given. */
  told(rows: number): Pick<IntakeSheet, 'filled' | 'parts' | 'turned'> {
    const nameAt = (column: number) => this.given[column] ?? '';
    return {
      ...(this.above.size > 0
        ? { filled: { columns: [...this.above.keys()].map(nameAt), cells: this.filledCells } }
        : {}),
      ...(this.parts.length > 0
        ? { parts: this.parts.map(({ column, by, names }) => ({ column: nameAt(column), by, names })) }
        : {}),
      ...(this.turn ? { turned: this.turned(this.turn, rows) } : {}),
    };
  }

  private turned({ parts, label, values, totals }: Turn, rows: number): NonNullable<IntakeSheet['turned']> {
    const columns = parts.flatMap((part) => part.columns.filter((column) => column !== undefined));
    return {
      columns: columns.sort((a, b) => a - b).map((column) => this.named[column] ?? ''),
      label,
      values,
      rows,
      totals: totals.map(({ column, is, of }, at) => ({
        name: this.named[column] ?? '',
        is,
        of: of.length,
        others: this.missed[at] ?? 0,
      })),
      ...(this.wish.turn ? { byHand: true } : {}),
    };
  }
}
