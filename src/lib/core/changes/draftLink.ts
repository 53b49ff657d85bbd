import type { TableId } from '../types/identity';
import { tableOf } from '../model/model';
import type { Model } from '../types/model';
import type { Field } from '../types/field';
import { replaceTable } from '../model/replace';

/**
 * The model with a link as it would be made, or in place of the field that would become it, for checking what reads it.
 */
export function withDraftLink(
  model: Model,
  id: TableId,
  { id: own, key, label }: Pick<Field, 'id' | 'key' | 'label'>,
  to: TableId,
): Model {
  const table = tableOf(model, id);
  const link: Field = {
    id: own,
    key,
    label,
    type: { kind: 'link', to, onDelete: 'clear', counterpart: `${own} back` },
    required: false,
    unique: false,
    help: '',
  };
  return replaceTable(model, { ...table, fields: [...table.fields.filter((field) => field.id !== own), link] });
}
