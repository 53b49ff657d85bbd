/** A cell of a grid: its line, and its column among those shown. The head is line −1. */
export interface CellPlace {
  readonly line: number;
  readonly column: number;
}

/** A rectangle of cells, both ends included. */
export interface CellRange {
  readonly top: number;
  readonly bottom: number;
  readonly left: number;
  readonly right: number;
}

/** Which cell of a grid one is on, and the range from where one began to choose. */
export class GridSelection {
  at = $state.raw<CellPlace>({ line: 0, column: 0 });
  private from = $state.raw<CellPlace>({ line: 0, column: 0 });

  get range(): CellRange {
    const { at, from } = this;
    return {
      top: Math.min(at.line, from.line),
      bottom: Math.max(at.line, from.line),
      left: Math.min(at.column, from.column),
      right: Math.max(at.column, from.column),
    };
  }

  /** Whether more than one cell is chosen. */
  get wide(): boolean {
    return this.at.line !== this.from.line || this.at.column !== this.from.column;
  }

  /** Goes to a cell; `extend` chooses all from where one began. */
  go(place: CellPlace, extend = false): void {
    this.at = place;
    if (!extend) this.from = place;
  }

  choose(range: CellRange): void {
    this.from = { line: range.top, column: range.left };
    this.at = { line: range.bottom, column: range.right };
  }

  has(line: number, column: number): boolean {
    const { top, bottom, left, right } = this.range;
    return line >= top && line <= bottom && column >= left && column <= right;
  }
}

/**
 * Where a key leads from a cell; null for keys that lead nowhere. `lines` and `columns` are how many there are, `page`
 * the lines in sight.
 */
export function keyLeads(
  event: Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey'>,
  { line, column }: CellPlace,
  { lines, columns, page }: { readonly lines: number; readonly columns: number; readonly page: number },
): CellPlace | null {
  const far = event.ctrlKey || event.metaKey;
  const within = (to: CellPlace): CellPlace => ({
    line: Math.max(-1, Math.min(to.line, lines - 1)),
    column: Math.max(0, Math.min(to.column, columns - 1)),
  });
  switch (event.key) {
    case 'ArrowDown':
      return within({ line: far ? lines - 1 : line + 1, column });
    case 'ArrowUp':
      return within({ line: far ? 0 : line - 1, column });
    case 'ArrowRight':
      return within({ line, column: far ? columns - 1 : column + 1 });
    case 'ArrowLeft':
      return within({ line, column: far ? 0 : column - 1 });
    case 'PageDown':
      return within({ line: line + page, column });
    case 'PageUp':
      return within({ line: Math.max(0, line - page), column });
    case 'Home':
      return within({ line: far ? 0 : line, column: 0 });
    case 'End':
      return within({ line: far ? lines - 1 : line, column: columns - 1 });
    default:
      return null;
  }
}
