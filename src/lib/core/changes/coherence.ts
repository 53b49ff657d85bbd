import { dependenciesOf } from '../flow/dependencies';
import { needs, writtenIn } from '../parts/dependents';
import { findField, findTable } from '../model/model';
import type { Model } from '../types/model';

/**
 * What a model says of things that it does not have: links to missing tables, sides of a link without the other, titles
 * and formulas over missing fields. Every sound model gives an empty list; views and forms may name fields that are
 * gone.
 */
export function missingIn(model: Model): string[] {
  const found: string[] = [];
  const other = (id: string) => findField(model, id)?.field.type;
  for (const table of model.tables) {
    if (table.title !== null && !table.fields.some(({ id }) => id === table.title))
      found.push(`the title field of ${table.label}`);
    for (const { id, label, type } of table.fields) {
      const words = `${table.label}.${label}`;
      if (type.kind === 'link') {
        if (!findTable(model, type.to)) found.push(`the table that ${words} links to`);
        const back = other(type.counterpart);
        if (back?.kind !== 'counterpart' || back.link !== id) found.push(`the reverse of the link ${words}`);
      }
      if (type.kind === 'counterpart') {
        const link = other(type.link);
        if (link?.kind !== 'link' || link.counterpart !== id) found.push(`the link behind ${words}`);
        if (type.over !== undefined && other(type.over)?.kind !== 'link') found.push(`the far side of ${words}`);
      }
    }
  }
  for (const written of writtenIn(model))
    if (needs(written) && dependenciesOf(model, written.expression).missing !== undefined)
      found.push(`a field that ${written.words} reads`);
  return found;
}
