import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { uiOf } from '../fieldTypes/registry';
import type { ShownColumn } from '$core/views/view';
import type { RowLines, View } from '$core/types/view';

/** The height of a row by its lines of text, in pixels. */
export const rowHeights: Record<RowLines, number> = { 1: 30, 2: 50, 4: 88 };

export const leastWidth = 48;
export const mostWidth = 1200;

/** In pixels: what its values need, and its label where that is not very long. */
function ownWidth(model: Model, table: Table, field: Field): number {
  const own =
    field.type.kind === 'counterpart' && field.type.over
      ? 190
      : (uiOf(shownType(model, field)).width ?? (field.id === table.title ? 150 : 170));
  return Math.max(own, Math.min(200, field.label.length * 8 + 34));
}

export interface GridColumn extends ShownColumn {
  readonly width: number;
  /** From the left edge of all columns, in pixels. */
  readonly left: number;
  readonly frozen: boolean;
}

/** The columns of a view with their widths and places. */
export function gridColumns(
  model: Model,
  table: Table,
  columns: readonly ShownColumn[],
  { frozen }: Pick<View, 'frozen'>,
): GridColumn[] {
  let left = 0;
  return columns.map((column, index) => {
    const width = column.width ?? ownWidth(model, table, column.field);
    const placed = { ...column, width, left, frozen: index < frozen };
    left += width;
    return placed;
  });
}

/** The columns that are in sight beside the frozen ones, from `first` up to `end`. */
export function columnsInSight(
  columns: readonly GridColumn[],
  scrolled: number,
  width: number,
): { first: number; end: number } {
  const still = columns.filter(({ frozen }) => frozen);
  const covered = still.reduce((sum, column) => sum + column.width, 0);
  const from = columns.findIndex((column) => !column.frozen && column.left + column.width > scrolled + covered);
  const first = from < 0 ? columns.length : from;
  const behind = columns.findIndex((column, index) => index >= first && column.left >= scrolled + width);
  return {
    first: Math.max(still.length, first - 2),
    end: Math.min(columns.length, (behind < 0 ? columns.length : behind) + 2),
  };
}

/** Browsers draw nothing taller than some 17 or 33 million pixels. */
const mostHeight = 8_000_000;

/**
 * Where a list stands whose lines are taller together than a browser can draw. As long as one scrolls a little at a
 * time lines move with the wheel; the bar itself, dragged or jumped to, goes by share of the whole.
 */
export class ScrollScale {
  /** What the browser is told, in pixels. */
  readonly drawn: number;

  constructor(
    /** All lines, in pixels. */
    readonly whole: number,
    private readonly sight: number,
  ) {
    this.drawn = Math.min(whole, mostHeight);
  }

  private get ratio(): number {
    return (this.whole - this.sight) / Math.max(1, this.drawn - this.sight);
  }

  /** The first pixel in sight after the bar moved from `before` to `bar`, with `top` in sight before. */
  topAt(bar: number, before: number, top: number): number {
    if (this.drawn === this.whole) return bar;
    const end = this.drawn - this.sight;
    const moved = bar - before;
    const near = Math.abs(moved) < this.sight * 2 && bar > 0 && bar < end;
    const next = near ? top + moved : bar * this.ratio;
    return Math.max(0, Math.min(this.whole - this.sight, next));
  }

  /** Where the bar stands for a first pixel in sight. */
  barAt(top: number): number {
    return this.drawn === this.whole ? top : top / this.ratio;
  }
}
