import type { FieldId } from '$core/types/identity';
import { feedOf, shownOf } from '$core/flow/feeds';
import { fieldOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';

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

/** The fields of sources that typing into a field of a feed changes. */
function sourceFields(model: Model, table: Table, field: Field): readonly Field[] {
  const feed = feedOf(table);
  const shown = feed?.twoWays.includes(field.id) ? shownOf(table, feed, field.id) : null;
  return [...(shown?.values() ?? [])].map((id) => fieldOf(model, id).field);
}

/** The fields that edits may change. A link to many changes where its pairs point. */
export function editedFields(
  model: Model,
  table: Table,
  { insert = [], update = [], remove = [] }: RecordEdits,
): readonly Field[] {
  const everything = insert.length > 0 || remove.length > 0;
  const names = new Set(update.flatMap(({ values }) => Object.keys(values)));
  return table.fields
    .filter(({ id, key }) => everything || names.has(key) || names.has(id))
    .flatMap((field) => {
      const { type } = field;
      return type.kind === 'counterpart' && type.over !== undefined
        ? [field, fieldOf(model, type.link).field, fieldOf(model, type.over).field]
        : [field, ...sourceFields(model, table, field)];
    });
}
