import { quoteText } from '$core/base/sql';
import { conditionPaths } from '$core/query/conditions';
import { selfId, type Scope } from '$core/routines/scope';
import { valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';

/** A value that can be chosen for a field: the formula that gives it, and how it is called. */
export interface ValueOffer {
  readonly formula: string;
  readonly label: string;
}

/** Values that are there by themselves, for a field of some type. */
export function fixedOffers(field: Field | null, { table, given }: Scope): readonly ValueOffer[] {
  if (!field) return [];
  const { type } = field;
  const self = given.find(({ id }) => id === selfId);
  if (type.kind === 'link')
    return type.to === table.id && self ? [{ formula: self.key, label: `this record of ${table.label}` }] : [];
  if (type.kind === 'option') return type.options.map(({ label }) => ({ formula: quoteText(label), label }));
  if (type.kind === 'member') return [{ formula: 'person()', label: 'whoever sets it off' }];
  const { is } = valueTypeOf(field);
  if (is === 'boolean')
    return [
      { formula: 'true', label: 'yes' },
      { formula: 'false', label: 'no' },
    ];
  if (is === 'date') return [{ formula: 'today()', label: 'today' }];
  if (is === 'timestamp') return [{ formula: 'now()', label: 'now' }];
  return [];
}

/** The fields that a step can read, over links and results of steps too, in groups by the record they are of. */
export function readableFields({
  model,
  table,
}: Scope): readonly { readonly label: string; readonly of: ValueOffer[] }[] {
  const groups = new Map<string, ValueOffer[]>();
  for (const { path, label } of conditionPaths(model, table)) {
    const [first = ''] = path.split('.');
    const link = path.includes('.') ? (table.fields.find(({ key }) => key === first)?.label ?? first) : table.label;
    groups.set(link, [...(groups.get(link) ?? []), { formula: path, label }]);
  }
  return [...groups].map(([label, of]) => ({ label, of }));
}

/** Whether a value can be written as it is, without a formula. */
export const canBeFixed = (field: Field | null): boolean =>
  field !== null && ['text', 'number', 'date', 'timestamp', 'duration'].includes(valueTypeOf(field).is);

/** Whether a field that a step can read, by its path, has one of these types. */
export function pathsOf({ model, table }: Scope, ...types: readonly string[]): (path: string) => boolean {
  const fit = new Set(
    conditionPaths(model, table).flatMap(({ path, field }) => (types.includes(valueTypeOf(field).is) ? [path] : [])),
  );
  return (path) => fit.has(path);
}
