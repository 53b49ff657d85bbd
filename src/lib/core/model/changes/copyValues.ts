import { bad, good, type Result } from '../../problem';
import type { FieldId, TableId } from '../identity';
import { findField, findTable, isToMany, linkedTable, type Field, type Model } from '../model';

/**
 * Fills one field of a table from another: a text becomes a link, a link its target's title, a link to one a link to
 * many and back. The structure stays as it is; the changes before and after it make the one field and remove the other.
 */
export interface CopyValues {
  readonly do: 'copyValues';
  readonly table: TableId;
  readonly from: FieldId;
  readonly to: FieldId;
  /** For texts that become links: the field of the target they are compared with. */
  readonly match?: FieldId;
  /** Texts that are no target's, and which record each means after all. */
  readonly confirmed?: Readonly<Record<string, number>>;
  /** What becomes of a text that is no target's: set aside, or a target made with it. */
  readonly missing?: 'setAside' | 'create';
}

const isLink = (field: Field): boolean => field.type.kind === 'link' || isToMany(field);

export function applyCopyValues(model: Model, change: CopyValues): Result<Model> {
  if (!findTable(model, change.table)) return bad('There is no such table.');
  const [from, to] = [findField(model, change.from), findField(model, change.to)];
  if (from?.table.id !== change.table || to?.table.id !== change.table) return bad('There is no such field.');
  if (isLink(to.field)) {
    const target = linkedTable(model, to.field);
    if (!isLink(from.field) && !target?.table.fields.some(({ id }) => id === change.match))
      return bad(`“${to.field.label}” points at a table without the field to compare with.`, 'Choose a field of that table.');
    return good(model);
  }
  return isLink(from.field) && to.field.type.kind === 'text'
    ? good(model)
    : bad(`“${from.field.label}” cannot fill “${to.field.label}”.`, 'Change its type instead.');
}
