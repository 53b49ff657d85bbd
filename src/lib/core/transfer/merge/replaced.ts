import { fieldOf, tableOf } from '../../model/model';
import type { FieldId } from '../../types/identity';
import type { Model } from '../../types/model';
import type { Merge } from '../../types/transfer';
import type { Replacements } from '../rewrite';
import { readBack, turned } from './invert';
import { manySides, otherSide } from './links';
import { marked } from './marks';

/** What is read instead of what merged tables had, by everything that stands and by what goes over to the merged table. */
export function replacedBy(model: Model, both: Model, transfer: Merge): Replacements {
  const steps = new Map<FieldId, readonly FieldId[]>();
  const values: Map<FieldId, Replacements['values'] extends ReadonlyMap<FieldId, infer V> ? V : never> = new Map();
  const marks = new Map<FieldId, (place: number) => ReturnType<typeof marked>>();
  const target = tableOf(both, transfer.to);
  for (const { table: id, mark, fields } of transfer.sources) {
    const table = tableOf(model, id);
    const isMarked = (place: number) => marked(both, transfer.mark, mark, place);
    for (const field of table.fields) {
      const { type } = field;
      // Whoever comes from elsewhere over a link of this table meets the records of the others, too.
      if (type.kind === 'link') marks.set(type.counterpart, isMarked);
      if (id === transfer.to) continue;
      if (type.kind !== 'link' && type.kind !== 'counterpart') values.set(field.id, null);
    }
    for (const side of manySides(model, table)) marks.set(side.near.id, isMarked);
    if (id === transfer.to) continue;
    for (const { field: now, from } of fields) {
      const { field } = fieldOf(both, now);
      const formula = from.is === 'formula' ? from.formula : from.is === 'copy' ? from.of : null;
      const found = formula && turned(formula);
      if (!found) continue;
      const { field: old } = fieldOf(model, found.field);
      if (old.type.kind === 'link') {
        steps.set(old.id, [field.id]);
        steps.set(old.type.counterpart, [otherSide(both, field.id)]);
      } else if (!values.get(old.id) || formula?.do === 'field') values.set(old.id, readBack(field, found));
    }
  }
  for (const { old, now } of transfer.links) {
    const [was, is] = [fieldOf(model, old).field, fieldOf(both, now).field];
    if (was.type.kind === 'link') {
      steps.set(old, [now]);
      steps.set(was.type.counterpart, [otherSide(both, now)]);
      continue;
    }
    // Both sides of a link to many, and the links of their pairs.
    const before = manySides(model, fieldOf(model, old).table).find(({ field }) => field.id === old);
    const after = manySides(both, target).find(({ field }) => field.id === is.id);
    if (!before || !after) continue;
    steps.set(old, [now]);
    steps.set(before.near.id, [after.near.id]);
    steps.set(before.far.id, [after.far.id]);
    if (before.other && after.other) steps.set(before.other.id, [after.other.id]);
  }
  return { steps, values, marks };
}

/** The fields of merged tables that one field of the new table takes the place of, for what shows and orders by fields. */
export function plainFields({ steps }: Replacements, source: Merge['sources'][number]): ReadonlyMap<FieldId, FieldId> {
  const found = new Map<FieldId, FieldId>();
  for (const { field, from } of source.fields) {
    const formula = from.is === 'formula' ? from.formula : from.is === 'copy' ? from.of : null;
    const known = formula && turned(formula);
    if (known && !found.has(known.field)) found.set(known.field, field);
  }
  // Links, and the other sides of links.
  for (const [old, [now, ...further]] of steps) if (now !== undefined && further.length === 0) found.set(old, now);
  return found;
}
