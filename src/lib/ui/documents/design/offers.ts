import { attrKinds, tableOver } from '$core/documents/attrs';
import { isShown, linkedTable } from '$core/model/model';
import { checkFormula } from '$core/formula/checker';
import { printFormula } from '$core/formula/printer';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';

/** Something that can be put on the page, by what it is written as. */
export interface Offer {
  readonly path: string;
  readonly label: string;
}

/** What is left out of exports is offered for no page that is given away. */
const isOffered = (field: Field): boolean => isShown(field) && field.unlisted !== true;

const isPicture = ({ type }: Field): boolean => type.kind === 'pictures' || type.kind === 'files';

/** The fields of a record, then those that each of its links leads to, in groups by the record they are of. */
export function fieldOffers(
  model: Model,
  table: Table,
  pictures = false,
): readonly { readonly label: string; readonly of: readonly Offer[] }[] {
  const fits = (field: Field) => isOffered(field) && field.type.kind !== 'counterpart' && isPicture(field) === pictures;
  const own = table.fields.filter(fits).map(({ key, label }) => ({ path: key, label }));
  const over = table.fields.filter(isOffered).flatMap((link) => {
    const target = link.type.kind === 'link' ? linkedTable(model, link)?.table : undefined;
    if (!target) return [];
    const of = target.fields
      .filter((field) => fits(field) && field.type.kind !== 'link')
      .map(({ key, label }) => ({ path: `${link.key}.${key}`, label: `${link.label} › ${label}` }));
    return [{ label: link.label, of }];
  });
  return [{ label: table.label, of: own }, ...over].filter(({ of }) => of.length > 0);
}

/** What a part can be repeated for: linked records, over one link more too. */
export function repeatOffers(model: Model, table: Table): readonly Offer[] {
  const links = (from: Table) =>
    from.fields.filter(isOffered).flatMap((field) => {
      const linked = linkedTable(model, field);
      return linked ? [{ field, ...linked }] : [];
    });
  return links(table).flatMap(({ field, table: target, many }) => [
    ...(many ? [{ path: field.key, label: field.label }] : []),
    ...links(target)
      .filter((next) => next.many && next.table.id !== table.id)
      .map((next) => ({ path: `${field.key}.${next.field.key}`, label: `${field.label} › ${next.field.label}` })),
  ]);
}

/** A formula in a person's words: a field by its name, anything else as it is written. */
export function formulaWords(model: Model, table: Table, formula: string): string {
  const { expression } = checkFormula(model, table.id, formula);
  if (!expression) return formula;
  // Names stand in quotes there, with dots between: nobody writes this, so they are left out.
  return printFormula(model, expression, 'labels').replaceAll('"."', ' › ').replaceAll('"', '');
}

/** The links of a repetition in a person's words. */
export function overWords(model: Model, table: Table, over: string): string {
  const read = attrKinds.over.read(model, table, over, '');
  if (!read.ok || !read.value) return over;
  const ids = read.value;
  return ids
    .map((id, index) => tableOver(model, table, ids.slice(0, index))?.fields.find((one) => one.id === id)?.label ?? '')
    .join(' › ');
}
