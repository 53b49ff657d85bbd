import { fieldNamed, isEntered, isNumbered, isSystem, isToMany, valueTypeOf } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import type { Scalar } from '$core/types/expression';
import { valueJson, takeValue, type EnteredType, type Reading } from '$core/fieldTypes/registry';
import { fromColumn } from '../sql/column';
import { type Refusal, refuse } from '../base/refusal';

/** A record as programs and pages get it. */
export interface RecordOut {
  readonly id: number;
  readonly version: number;
  readonly values: Readonly<Record<string, unknown>>;
  /** The place of the first condition it meets among those that were asked for. */
  readonly mark?: number | null;
  /** Texts that did not fit their fields, by key, until they are fixed. */
  readonly aside?: Readonly<Record<string, { readonly text: string; readonly reason: string }>>;
}

/**
 * What the driver read for a field as JSON: values as `valueJson` says, the other side of a link as `{count}` or the
 * records themselves.
 */
export function valueOut(model: Model, field: Field, raw: unknown, title: unknown): unknown {
  if (field.type.kind === 'counterpart')
    return typeof raw === 'object' ? (raw ?? (isToMany(field) ? [] : null)) : { count: Number(raw) };
  return valueJson(shownType(model, field), fromColumn(valueTypeOf(field), raw), title);
}

/** A value as it was sent for one field: settled, or to be found among the target's records. */
export type TakenValue =
  | { readonly kind: 'value'; readonly value: Scalar }
  | { readonly kind: 'match'; readonly by: Readonly<Record<string, unknown>> }
  /** The records of a link to many, each by id or to be found. */
  | { readonly kind: 'several'; readonly targets: readonly (number | Readonly<Record<string, unknown>>)[] };

/** The fields and values of one record as sent, by field; refuses what cannot be entered, with its place. */
export function takeValues(
  table: Table,
  sent: Readonly<Record<string, unknown>>,
  at: string,
  reading: Reading,
): Map<Field, TakenValue> {
  const taken = new Map<Field, TakenValue>();
  for (const [name, value] of Object.entries(sent)) {
    const place = `${at}/${name}`;
    const field = fieldNamed(table, name);
    if (!field) throw refuse(422, `${table.label} has no field “${name}”.`, 'Use a key from the model.', place);
    if (field.still || (!isEntered(field) && !isNumbered(field))) throw notEntered(field, place);
    if (isToMany(field)) {
      taken.set(field, { kind: 'several', targets: targetsOf(field, value, place) });
      continue;
    }
    if (field.type.kind === 'link' && isMatch(value)) {
      taken.set(field, { kind: 'match', by: matchOf(field, value, place) });
      continue;
    }
    const result = takeValue(value, field.type as EnteredType, reading);
    if (!result.ok) throw refuse(422, `${field.label}: ${result.problem.message}`, result.problem.fix, place);
    taken.set(field, { kind: 'value', value: result.value });
  }
  return taken;
}

type Match = Readonly<Record<string, unknown>>;

const isMatch = (value: unknown): value is { readonly match: unknown } =>
  typeof value === 'object' && value !== null && 'match' in value;

/** What a record is to be found by. */
function matchOf({ label }: Field, { match }: { readonly match: unknown }, at: string): Match {
  if (typeof match !== 'object' || match === null || Array.isArray(match))
    throw refuse(422, `${label}: a match names fields and their values.`, 'Write {"match": {"key": "value"}}.', at);
  return match as Match;
}

function targetsOf(field: Field, value: unknown, at: string): (number | Readonly<Record<string, unknown>>)[] {
  const list = value === null ? [] : Array.isArray(value) ? value : [value];
  return list.map((one: unknown) => {
    if (isMatch(one)) return matchOf(field, one, at);
    const id = takeValue(one, { kind: 'link', to: '', onDelete: 'clear', counterpart: '' });
    if (!id.ok || typeof id.value !== 'number')
      throw refuse(
        422,
        `${field.label}: ${id.ok ? 'This names no record.' : id.problem.message}`,
        id.ok ? undefined : id.problem.fix,
        at,
      );
    return id.value;
  });
}

const notEntered = (field: Field, at: string): Refusal =>
  field.still
    ? refuse(403, `${field.label} is seen and not entered by you.`, 'Leave it out.', at)
    : field.type.kind === 'formula' || field.veiled
      ? refuse(
          422,
          `${field.label} is calculated, so it cannot be typed over.`,
          'Change one of the fields it comes from.',
          at,
        )
      : isSystem(field)
        ? refuse(422, `${field.label} is kept by the system itself.`, 'Skip it.', at)
        : refuse(422, `${field.label} is a reverse link.`, 'Change the link on the other record.', at);
