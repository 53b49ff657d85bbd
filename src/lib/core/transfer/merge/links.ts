import { fieldOf, isToMany, overOf, typeAs } from '../../model/model';
import type { Field } from '../../types/field';
import type { FieldId } from '../../types/identity';
import type { Model, Table } from '../../types/model';

/** A link to one from another table to one of those that are merged. */
export interface IncomingLink {
  readonly link: Field;
  readonly from: Table;
}

/** Links of other tables that lead to a table; those among the merged tables are fields of theirs. */
export const incomingLinks = (model: Model, table: Table, merged: ReadonlySet<string>): IncomingLink[] =>
  table.fields.flatMap(({ type }) => {
    if (type.kind !== 'counterpart' || type.over !== undefined) return [];
    const { field: link, table: from } = fieldOf(model, type.link);
    return merged.has(from.id) ? [] : [{ link, from }];
  });

/** A table's side of a link to many: its pairs, the links of these to either side, and the field on the other side. */
export interface ManySide {
  readonly field: Field;
  readonly pairs: Table;
  readonly near: Field;
  readonly far: Field;
  readonly to: string;
  readonly other: Field | undefined;
}

export const manySides = (model: Model, table: Table): ManySide[] =>
  table.fields.filter(isToMany).map((field) => {
    const { field: near, table: pairs } = fieldOf(model, typeAs(field, 'counterpart').link);
    const { field: far } = fieldOf(model, overOf(field) ?? '');
    const { to, counterpart } = typeAs(far, 'link');
    return { field, pairs, near, far, to, other: fieldOf(model, counterpart).field };
  });

/** The other side of a link. */
export const otherSide = (model: Model, link: FieldId): FieldId =>
  typeAs(fieldOf(model, link).field, 'link').counterpart;
