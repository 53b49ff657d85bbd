import type { Expression } from './expression';
import type { FieldId, ViewId } from './identity';
import type { Dye } from './field';

/**
 * How a view draws its records. Each kind is declared beside its descriptor, in core/views.
 *
 * @public
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface ViewKinds {}
export type ViewKind = keyof ViewKinds;

/**
 * How the values of a field are grouped by calendar parts. `each`: a record stands under each of its several values.
 */
export const sortSteps = ['day', 'week', 'month', 'quarter', 'year', 'each'] as const;
export type SortStep = (typeof sortSteps)[number];

export interface SortPart {
  readonly field: FieldId;
  /** The links to one record that lead from a record to the one with the field; none where it is the record's own. */
  readonly via?: readonly FieldId[];
  readonly descending: boolean;
  /** A number puts numbers together in steps as wide as it. */
  readonly by?: SortStep | number;
}

/** What is shown under a column, and beside each group. */
export const totalKinds = ['sum', 'avg', 'min', 'max', 'filled', 'blank', 'distinct'] as const;
export type TotalKind = (typeof totalKinds)[number];

export interface ViewColumn {
  readonly field: FieldId;
  readonly hidden?: true;
  /** In pixels; what its values need unless said otherwise. */
  readonly width?: number;
  readonly total?: TotalKind;
}

/** Records that meet the condition have a coloured edge; the first condition that is met counts. */
export interface ViewColour {
  readonly when: Expression;
  readonly dye: Dye;
}

/** How many lines of text a row has room for. */
export type RowLines = 1 | 2 | 4;

/**
 * Which records of a table are shown, in which order, and how. What it names that is no longer there is passed over.
 */
export interface View {
  readonly id: ViewId;
  readonly label: string;
  readonly kind: ViewKind;
  readonly columns: readonly ViewColumn[];
  /** Fields that are not among its columns, such as those made later, stand behind them. */
  readonly takesNew: boolean;
  /** How many columns stay where they are when one goes sideways. */
  readonly frozen: number;
  readonly lines: RowLines;
  readonly filter: Expression | null;
  readonly sort: readonly SortPart[];
  /** Up to three fields that records are grouped by. */
  readonly groups: readonly SortPart[];
  readonly colours: readonly ViewColour[];
  /** What a board has its columns by; the day on which a calendar's records begin. */
  readonly by?: FieldId;
  /** The last day of a calendar's records. */
  readonly until?: FieldId;
  /** What cards show at their head. */
  readonly picture?: FieldId;
}
