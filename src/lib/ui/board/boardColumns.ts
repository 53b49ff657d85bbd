import type { Field } from '$core/types/field';
import { boardOptions } from '$core/model/view';
import { quoteText } from '$core/sql';

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
  switch (field.type.kind) {
    case 'option':
      return [
        ...boardOptions(field).map((option, place) => ({
          name: option.label,
          id: option.id,
          condition: `${key} = ${quoteText(option.label)}`,
          of: null,
          value: option.label,
          option: place,
        })),
        blank,
      ];
    case 'yesNo':
      return [
        { name: 'yes', id: 'yes', condition: key, of: null, value: true, option: null },
        { name: 'no', id: 'no', condition: `not ${key}`, of: null, value: false, option: null },
        blank,
      ];
    default: {
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
  }
}
