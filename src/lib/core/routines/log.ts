import type { TableId } from '../types/identity';
import type { PartId } from '../types/part';
import type { StepKind } from '../types/routine';

/** Something that is sent once the edit stands. */
export type Outgoing =
  | {
      readonly kind: 'message';
      readonly to: readonly string[];
      readonly subject: string;
      readonly text: string;
      /** A document of a record, by its identity, which is made as it is sent. */
      readonly document?: { readonly table: TableId; readonly id: PartId; readonly record: number };
      /** A summary, made as it is sent. */
      readonly summary?: PartId;
    }
  | { readonly kind: 'call'; readonly address: string; readonly body: string };

/** What one step of a run did: read by whoever asks why a record is as it is. */
export interface StepDone {
  readonly do: StepKind;
  /** The step in words, as it was then. */
  readonly words: string;
  /** How many records it looked at. */
  readonly records: number;
  readonly made: number;
  readonly changed: number;
  /** Messages and calls that wait to be sent. */
  readonly sent: number;
  /** Of the first few records what was written, or would be sent. */
  readonly samples: readonly StepSample[];
  /** Milliseconds. */
  readonly took: number;
}

/** What a step did with one record: fields by label with their new values as text, or a message. */
export interface StepSample {
  readonly table: string;
  /** Null for one that is made. */
  readonly record: number | null;
  readonly values: Readonly<Record<string, string>>;
}

/** A run of a routine for the log. */
export interface RunDone {
  readonly routine: string;
  /** The table whose records set it off. */
  readonly table: string;
  /** The routines that set each other off before it. */
  readonly chain: readonly string[];
  readonly records: number;
  /** The first of these. */
  readonly first: readonly number[];
  /** Milliseconds. */
  readonly took: number;
  readonly problem: string | null;
  readonly steps: readonly StepDone[];
}
