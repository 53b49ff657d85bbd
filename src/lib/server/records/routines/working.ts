import type { Scope } from '$core/routines/scope';
import type { Outgoing, StepSample } from '$core/routines/log';
import { shownType } from '$core/formula/shownType';
import { printValue, type EnteredType } from '$core/fieldTypes/registry';
import type { Step, StepKind, StepOf } from '$core/types/routine';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { Expression, Scalar } from '$core/types/expression';
import type { FilledField } from '$core/types/recordChange';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { refuse } from '../../base/refusal';
import type { Client } from '../../database/pool';
import type { StoredValues, TableEdits } from '../edits';
import type { FilledIn, Frame, Misfit } from './frame';

/** Something to be sent, with the record that it is about. */
export type OfRecord = Outgoing & { readonly record: number };

/** Other values for a record. */
export interface RecordUpdate {
  readonly id: number;
  readonly values: StoredValues;
}

/** What a step works with. */
export interface Working {
  readonly client: Client;
  /** Of the routine's keeper, over everything. */
  readonly access: WorkspaceAccess;
  readonly frame: Frame;
  /** What formulas give for fields of a table, for each record of the frame that is still there. */
  readonly filled: (owner: Table, fields: readonly FilledField[]) => Promise<FilledIn>;
  /** What formulas give for each record of the frame that is still there. */
  readonly values: (formulas: readonly Expression[]) => Promise<ReadonlyMap<number, readonly Scalar[]>>;
  /** The records that a step finds, where these were looked for at the beginning and are the same by now. */
  readonly found: (step: StepOf<'find'>) => ReadonlyMap<number, number> | null;
  /** Changes records, together with what is changed next: before anything reads them, or writes anything else. */
  readonly later: (table: Table, update: readonly RecordUpdate[]) => void;
  /** What is still to be changed is changed, before a statement reads records by itself. */
  readonly settled: () => Promise<void>;
  /** Writes records as the keeper may, with all that is calculated from them; the numbers of new ones, table by table. */
  readonly write: (edits: readonly TableEdits[]) => Promise<readonly (readonly number[])[]>;
  readonly send: (outgoing: readonly OfRecord[]) => void;
  /** Does steps on other records. */
  readonly within: (frame: Frame, steps: readonly Step[]) => Promise<void>;
  /** Whether it is only tried: nothing that stands outside of the transaction is asked for. */
  readonly tries: boolean;
  /** Says of some records what was written, for the log. */
  readonly note: (samples: readonly StepSample[]) => void;
}

/** What the server knows of one kind of step: what it does, and the frame that the step behind it gets. */
export type StepRunner<K extends StepKind> = (working: Working, step: StepOf<K>) => Promise<Frame>;

/** So many records are shown of each step. */
export const mostNoted = 3;

export const noEdits = { insert: [], update: [], remove: [] } as const;

/** Refuses what a formula gave that does not fit its field. */
export function requireFitting([first]: readonly Misfit[]): void {
  if (first)
    throw refuse(422, `“${first.text.slice(0, 100)}” ${first.reason}.`, `Change the formula for ${first.field.label}.`);
}

/** A value as it is shown in the log. */
const shownValue = (access: WorkspaceAccess, field: Field, value: Scalar): string =>
  value === null
    ? ''
    : field.type.kind === 'link'
      ? `#${String(value)}`
      : printValue(value, shownType(access.workspace.model, field) as EnteredType);

/** Values of a record for the log. */
export const sampleOf = (
  access: WorkspaceAccess,
  table: Table,
  record: number | null,
  values: ReadonlyMap<string, Scalar>,
): StepSample => ({
  table: table.label,
  record,
  values: Object.fromEntries(
    [...values].flatMap(([id, value]) => {
      const field = table.fields.find((one) => one.id === id);
      return field ? [[field.label, shownValue(access, field, value)]] : [];
    }),
  ),
});

/** The frame with one more value given to each record; those without one are left out of nothing. */
export const giving = ({ rows }: Frame, scope: Scope, id: string, of: ReadonlyMap<number, Scalar>): Frame => ({
  scope,
  rows: rows.map((row) => ({ ...row, given: new Map([...row.given, [id, of.get(row.id) ?? null]]) })),
});
