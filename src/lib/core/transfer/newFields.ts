import { applyChanges } from '../changes/change';
import { changesToAddLink } from '../changes/linkPlans';
import { good, type Result } from '../base/problem';
import { freeLabel, newFieldKey } from '../model/names/naming';
import { newFieldPlace, withSystemFields } from '../model/systemFields';
import { fieldOf, isFed, tableOf, typeAs } from '../model/model';
import { newTableKey } from '../model/names/naming';
import type { Change } from '../types/change';
import { dyes, type Dye, type Field, type FieldType } from '../types/field';
import { newId, type FieldId, type TableId } from '../types/identity';
import type { Model, Table } from '../types/model';

/** Changes in the making, with the model as they leave it. */
export class Making {
  readonly changes: Change[] = [];
  constructor(public model: Model) {}

  /** Adds changes; what cannot be made is a fault of whoever composes them, and said as a problem. */
  add(...changes: readonly Change[]): Result<true> {
    const applied = applyChanges(this.model, changes);
    if (!applied.ok) return applied;
    this.changes.push(...changes);
    this.model = applied.value.model;
    return good(true);
  }
}

/** A field like another under its own identity, with names that the table has free. */
export function fieldLike(
  fields: readonly Field[],
  like: Field,
  label = like.label,
  type: FieldType = like.type,
): Field {
  const { id: _, key, default: __, ...rest } = like;
  const free = freeLabel(
    label,
    fields.map((one) => one.label),
  );
  return {
    ...rest,
    id: newId('f'),
    label: free,
    key: label === like.label && !fields.some((one) => one.key === key) ? key : newFieldKey(fields, free),
    type,
  };
}

/** A new table with these fields, which are neither links nor calculated. */
export function newTable(
  model: Model,
  label: string,
  fields: readonly Field[],
  title: FieldId | null,
  home?: string,
): Table {
  return {
    id: newId('t'),
    key: newTableKey(model, label),
    label,
    description: '',
    dye: dyes[model.tables.length % dyes.length] as Dye,
    title,
    fields: withSystemFields(fields),
    ...(home === undefined ? {} : { home }),
  };
}

export const addTable = (model: Model, table: Table): Change => ({
  do: 'addTable',
  table,
  at: model.tables.filter(({ home }) => home === undefined).length,
});

/** The changes that give a table a field like a link of another, to the same table; with its identity. */
export function linkLike(
  model: Model,
  table: TableId,
  like: Field,
  to: TableId,
  names: {
    readonly label?: string;
    readonly counterpart?: string;
    readonly required?: boolean;
    readonly at?: number;
  } = {},
): { readonly field: FieldId; readonly changes: Change[] } {
  const owner = tableOf(model, table);
  const { id: _, key: __, type: ___, ...rest } = fieldLike(owner.fields, like, names.label);
  const other = like.type.kind === 'link' ? fieldOf(model, like.type.counterpart).field : undefined;
  const label = rest.label;
  return changesToAddLink(model, {
    table,
    at: names.at ?? newFieldPlace(owner.fields),
    to,
    field: { ...rest, label, key: newFieldKey(owner.fields, label), required: names.required ?? false, unique: false },
    onDelete: typeAs(like, 'link').onDelete,
    many: false,
    ...(isFed(like) ? { fed: true } : {}),
    counterpart: {
      ...(names.counterpart === undefined ? {} : { label: freeOn(model, to, names.counterpart) }),
      ...(other?.off ? { off: true } : {}),
    },
  });
}

const freeOn = (model: Model, table: TableId, label: string): string =>
  freeLabel(
    label,
    tableOf(model, table).fields.map((one) => one.label),
  );
