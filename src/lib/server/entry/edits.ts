import type { FieldId } from '$core/model/identity';

/** A text that did not fit a field, kept beside the record with its reason. */
export interface Misfit {
  readonly field: FieldId;
  readonly text: string;
  readonly reason: string;
}

/** A record as it is sent. */
export interface SentRecord {
  readonly values: Readonly<Record<string, unknown>>;
  readonly aside?: readonly Misfit[];
  /** Where it stood in what a person or a program sent, if not where it stands here. */
  readonly place?: number;
}

/** Edits as they are sent: fields by key or id, values as JSON. */
export interface RecordEdits {
  readonly insert?: readonly SentRecord[];
  readonly update?: readonly (SentRecord & { readonly id: number; readonly version?: number })[];
  readonly remove?: readonly number[];
  /** What it was, for the history; worked out from the edits unless said. */
  readonly title?: string;
  /** Whether to be asked first, by a refusal with counts, where very many records would be calculated anew. */
  readonly ask?: boolean;
}
