import type { PartId } from './part';
import type { Expression } from './expression';
import type { Field } from './field';
import type { FieldId, FormId, TableId } from './identity';
import type { FilledField } from './recordChange';

/** Text with values in it, piece by piece. */
export type Template = readonly (string | Expression)[];

/** What sets a routine off; each kind declares it beside its descriptor, in core/routines/triggers. */
interface Triggers {
  readonly made: Readonly<Record<never, never>>;
  /** One of these fields has another value: typed, or calculated anew. */
  readonly changed: { readonly fields: readonly FieldId[] };
  /** It did not hold before, and holds now. */
  readonly comesTrue: { readonly condition: Expression };
  /** A form of the table was sent; null: any. */
  readonly sent: { readonly form: FormId | null };
  /** So many days before (negative) or after a day that the record has, at an hour of the workspace. */
  readonly dateNear: { readonly field: FieldId; readonly days: number; readonly hour: number };
  /** For all records, at an hour of each day, of a weekday (1 is Monday), or of a day of the month. */
  readonly timetable: { readonly every: 'day' | 'week' | 'month'; readonly day: number; readonly hour: number };
  /** By hand, for a record or a selection; the inputs are asked, and read like fields of the record. */
  readonly button: { readonly inputs: readonly Field[] };
}
export type TriggerKind = keyof Triggers;
export type TriggerOf<K extends TriggerKind> = { [Kind in K]: { readonly on: Kind } & Triggers[Kind] }[K];
export type Trigger = TriggerOf<TriggerKind>;

/**
 * What a step gives to those behind it: a record, read like the target of a link that the record has. Its identity is
 * that of a field, which stands in no table.
 */
export interface StepResult {
  readonly id: FieldId;
  readonly label: string;
}

/** Who is written to: somebody of the Directory, or whom a formula gives (a person, or addresses in a text). */
export type Recipient = { readonly person: number } | { readonly formula: Expression };

/** What each step holds; formulas are over the record, with the results of the steps before. */
interface Steps {
  /** Sets fields of the record, or of one that a step before gave. */
  readonly set: { readonly of: FieldId | null; readonly fields: readonly FilledField[] };
  readonly make: { readonly table: TableId; readonly fields: readonly FilledField[]; readonly result: StepResult };
  /** The first record whose fields have these values; made with them, and `fields`, where there is none and `make` says so. */
  readonly find: {
    readonly table: TableId;
    readonly by: readonly FilledField[];
    readonly make: boolean;
    readonly fields: readonly FilledField[];
    /** A link of the record that is pointed at it. */
    readonly link: FieldId | null;
    readonly result: StepResult;
  };
  /** Does steps for each record that a link leads to, or that links to this one; `result` is where it began. */
  readonly each: { readonly over: FieldId; readonly result: StepResult; readonly steps: readonly Step[] };
  /** Adds a word to the list of a field, unless it is there. */
  readonly option: { readonly field: FieldId; readonly word: Expression };
  /** A record under this one for each word of a text; those that are there already stay. */
  readonly names: {
    readonly text: Expression;
    readonly separator: string;
    readonly table: TableId;
    readonly field: FieldId;
    /** The link by which they are under this one. */
    readonly link: FieldId;
  };
  readonly write: {
    readonly to: readonly Recipient[];
    readonly subject: Template;
    readonly text: Template;
    /** A document of the table, which goes with it as a PDF. */
    readonly document?: PartId;
    /** A summary of the workspace, which goes with it as a PDF. */
    readonly summary?: PartId;
  };
  readonly call: {
    readonly address: Template;
    readonly values: readonly { readonly name: string; readonly formula: Expression }[];
  };
  /** Nothing more is done for records that meet this. */
  readonly stop: { readonly when: Expression };
}
export type StepKind = keyof Steps;
export type StepOf<K extends StepKind> = { [Kind in K]: { readonly do: Kind } & Steps[Kind] }[K];
export type Step = StepOf<StepKind>;

/** Steps that run by themselves when something happens to a record of a table, or by hand. */
export interface Routine {
  readonly id: string;
  readonly label: string;
  readonly on: boolean;
  readonly when: Trigger;
  /** Only for records that meet this. */
  readonly where: Expression | null;
  readonly steps: readonly Step[];
  /** What becomes of an edit whose routine cannot be done: it is refused, or goes on without. */
  readonly failing: 'refuse' | 'goOn';
}
