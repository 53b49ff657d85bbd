import type { Field } from '$core/types/field';
import { uiOf } from '../fieldTypes/registry';

/**
 * A column of a board: what its records have in common, the condition by which they are found, and what a record
 * dropped there is given.
 */
export interface BoardColumn {
  readonly name: string;
  /** A text that tells the column from the others. */
  readonly id: string;
  /** A condition in the formula language; null where `of` says it. */
  readonly condition: string | null;
  /** For links: the field and the number of the record they point at. */
  readonly of: string | null;
  readonly value: unknown;
  /** The place of an option among the others, for its mark. */
  readonly option: number | null;
}

/** Values that a board's field has now, as the totals of the table give them. */
export interface KnownValue {
  readonly value: unknown;
  readonly count: number;
}

/** More columns than fit a board; a list tells them better. */
const mostBoardColumns = 60;

/**
 * The columns of a board by a field: all options in their order, yes and no, or the records and people that are there;
 * blank last.
 */
export function boardColumns(field: Field, known: readonly KnownValue[]): BoardColumn[] {
  const { key } = field;
  const blank: BoardColumn = {
    name: `no ${field.label.toLowerCase()}`,
    id: 'blank',
    condition: `${key} is null`,
    of: null,
    value: null,
    option: null,
  };
  const columns = uiOf(field.type).columns?.(field);
  if (columns) return [...columns.map((column) => ({ of: null, option: null, ...column })), blank];
  const filled = known.flatMap(({ value }) =>
    typeof value === 'object' && value !== null && 'id' in value
      ? [value as { id: number; title?: string; name?: string }]
      : [],
  );
  return [
    ...filled.slice(0, mostBoardColumns).map((value) => ({
      name: value.title ?? value.name ?? `#${value.id}`,
      id: String(value.id),
      condition: null,
      of: `${key}:${value.id}`,
      value,
      option: null,
    })),
    blank,
  ];
}
