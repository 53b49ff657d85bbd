import { isEntered, fieldNamed, type Field, type FieldType, type Table } from '$core/model/model';
import type { Scalar } from '$core/formula/expression';
import { canonicalNumber, Exact } from '$core/values/number';
import { takeValue, type EnteredType } from '$core/values/value';
import type { Refusal } from '../refusal';
import { refuse } from '../refusal';

/** A record as programs and pages get it. */
export interface RecordOut {
  readonly id: number;
  readonly version: number;
  readonly values: Readonly<Record<string, unknown>>;
}

/** A number with all its digits: as a JSON number where that says exactly the same, otherwise as numeric text. */
export function numberOut(text: string): number | string {
  const canonical = canonicalNumber(new Exact(text));
  return String(Number(canonical)) === canonical ? Number(canonical) : canonical;
}

/** A stored value as JSON: options by label, links as `{id, title}`, the other side of a link as `{count}`. */
export function valueOut(type: FieldType, stored: unknown, title: unknown): unknown {
  if (type.kind === 'counterpart') return { count: Number(stored) };
  if (stored === null || stored === undefined) return null;
  switch (type.kind) {
    case 'number':
      return numberOut(String(stored));
    case 'option':
      return type.options.find(({ id }) => id === stored)?.label ?? stored;
    case 'link':
      return { id: stored, title: title ?? `#${String(stored)}` };
    default:
      return stored;
  }
}

/** A value as it was sent for one field: settled, or to be found among the target's records. */
export type TakenValue = { readonly kind: 'value'; readonly value: Scalar } | { readonly kind: 'match'; readonly by: Readonly<Record<string, unknown>> };

/** The fields and values of one record as sent, by field; refuses what cannot be entered, with its place. */
export function takeValues(table: Table, sent: Readonly<Record<string, unknown>>, at: string): Map<Field, TakenValue> {
  const taken = new Map<Field, TakenValue>();
  for (const [name, value] of Object.entries(sent)) {
    const place = `${at}/${name}`;
    const field = fieldNamed(table, name);
    if (!field) throw refuse(422, `${table.label} has no field “${name}”.`, 'Use a key from the model.', place);
    if (!isEntered(field)) throw notEntered(field, place);
    if (field.type.kind === 'link' && typeof value === 'object' && value !== null && 'match' in value) {
      taken.set(field, { kind: 'match', by: value.match as Record<string, unknown> });
      continue;
    }
    const result = takeValue(value, field.type as EnteredType);
    if (!result.ok) throw refuse(422, `${field.label}: ${result.problem.message}`, result.problem.mend, place);
    taken.set(field, { kind: 'value', value: result.value });
  }
  return taken;
}

const notEntered = (field: Field, at: string): Refusal =>
  field.type.kind === 'formula'
    ? refuse(422, `${field.label} is calculated, so it cannot be typed over.`, 'Change one of the fields it comes from.', at)
    : refuse(422, `${field.label} is the other side of a link.`, 'Change the link on the other record.', at);
