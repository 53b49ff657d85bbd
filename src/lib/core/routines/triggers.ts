import { bad, good, type Result } from '../base/problem';
import { freeKey, keyFromLabel } from '../base/key';
import { printStanding, readAll, readTable, tableKey, type Written } from '../filled/written';
import { checkCondition } from '../formula/checker';
import { dependsOnViewer } from '../flow/dependencies';
import { fieldNamed, findField, findTable, isShown, valueTypeOf } from '../model/model';
import type { Expression } from '../types/expression';
import type { Field, FieldType } from '../types/field';
import { newId, type FieldId } from '../types/identity';
import type { Model, Table } from '../types/model';
import { partsOf } from '../types/part';
import { said } from './said';
import type { Trigger, TriggerKind, TriggerOf } from '../types/routine';

/** All that the core knows of one kind of trigger. */
interface TriggerDescriptor<K extends TriggerKind> {
  /** What a person chooses: *A record is made*. */
  readonly label: string;
  /** Whether the clock sets it off, and no edit. */
  readonly timed?: true;
  formulas(trigger: TriggerOf<K>): readonly Expression[];
  /** The fields of the table that it looks at. */
  reads(trigger: TriggerOf<K>): readonly FieldId[];
  turned(
    trigger: TriggerOf<K>,
    turning: { readonly formula: (formula: Expression) => Expression; readonly field: (field: FieldId) => FieldId },
  ): TriggerOf<K>;
  words(model: Model, table: Table, trigger: TriggerOf<K>): string;
  print(model: Model, table: Table, trigger: TriggerOf<K>): Written;
  read(model: Model, table: Table, json: Written): Result<TriggerOf<K>>;
}

const labelOf = (model: Model, id: FieldId): string => findField(model, id)?.field.label ?? 'a field that is gone';
const hourWords = (hour: number): string => `at ${hour}:00`;
const isWithin = (value: unknown, least: number, most: number): value is number =>
  typeof value === 'number' && Number.isInteger(value) && value >= least && value <= most;

const readHour = (json: Written): Result<number> =>
  json.hour === undefined
    ? good(7)
    : isWithin(json.hour, 0, 23)
      ? good(json.hour)
      : bad('An hour is a number from 0 to 23.', undefined, '/hour');

const made: TriggerDescriptor<'made'> = {
  label: 'A record is made',
  formulas: () => [],
  reads: () => [],
  turned: (trigger) => trigger,
  words: (_, table) => `When a record of ${table.label} is made`,
  print: () => ({ on: 'made' }),
  read: () => good({ on: 'made' }),
};

const changed: TriggerDescriptor<'changed'> = {
  label: 'Certain fields change',
  formulas: () => [],
  reads: ({ fields }) => fields,
  turned: (trigger, { field }) => ({ ...trigger, fields: trigger.fields.map(field) }),
  words: (model, table, { fields }) =>
    `When ${fields.map((id) => labelOf(model, id)).join(' or ')} of ${table.label} changes`,
  print: (_, table, { fields }) => ({
    on: 'changed',
    fields: fields.flatMap((id) => table.fields.find((field) => field.id === id)?.key ?? []),
  }),
  read(_, table, json) {
    const names = Array.isArray(json.fields) ? (json.fields as unknown[]) : [];
    if (names.length === 0) return bad('No field is named.', 'Choose those that are watched.', '/fields');
    const fields: FieldId[] = [];
    for (const [at, name] of names.entries()) {
      const field = fieldNamed(table, String(name));
      if (!field || field.type.kind === 'counterpart')
        return bad(`${table.label} has no field “${String(name)}” that changes.`, undefined, `/fields/${at}`);
      fields.push(field.id);
    }
    return good({ on: 'changed', fields });
  },
};

const comesTrue: TriggerDescriptor<'comesTrue'> = {
  label: 'A condition comes true',
  formulas: ({ condition }) => [condition],
  reads: () => [],
  turned: (trigger, { formula }) => ({ ...trigger, condition: formula(trigger.condition) }),
  words: (model, table, { condition }) =>
    `When for a record of ${table.label} it comes true that ${said(model, condition)}`,
  print: (model, _, { condition }) => ({ on: 'comesTrue', condition: printStanding(model, condition) }),
  read(model, table, json) {
    const { expression, problems } = checkCondition(model, table.id, String(json.condition ?? ''));
    if (!expression)
      return { ok: false, problem: { ...(problems[0] ?? { message: 'This is no condition.' }), at: '/condition' } };
    return dependsOnViewer(expression)
      ? bad('This would be another for everybody who looks.', 'Leave person() out.', '/condition')
      : good({ on: 'comesTrue', condition: expression });
  },
};

const sent: TriggerDescriptor<'sent'> = {
  label: 'A form is sent',
  formulas: () => [],
  reads: () => [],
  turned: (trigger) => trigger,
  words: (_, table, { form }) => {
    const label = partsOf(table, 'form').find(({ id }) => id === form)?.label;
    return form === null ? `When a form of ${table.label} is sent` : `When the form “${label ?? 'gone'}” is sent`;
  },
  print: (_, table, { form }) => ({
    on: 'sent',
    ...(form === null ? {} : { form: partsOf(table, 'form').find(({ id }) => id === form)?.label ?? '' }),
  }),
  read(_, table, json) {
    if (json.form === undefined || json.form === null) return good({ on: 'sent', form: null });
    const form = partsOf(table, 'form').find(({ id, label }) => id === json.form || label === json.form);
    return form
      ? good({ on: 'sent', form: form.id })
      : bad(`${table.label} has no form “${String(json.form)}”.`, 'Choose another.', '/form');
  },
};

const dateNear: TriggerDescriptor<'dateNear'> = {
  label: 'A day comes near',
  timed: true,
  formulas: () => [],
  reads: ({ field }) => [field],
  turned: (trigger, { field }) => ({ ...trigger, field: field(trigger.field) }),
  words(model, table, { field, days, hour }) {
    const label = `${labelOf(model, field)} of ${table.label}`;
    const count = `${Math.abs(days)} ${Math.abs(days) === 1 ? 'day' : 'days'}`;
    return `${days === 0 ? 'On' : days < 0 ? `${count} before` : `${count} after`} ${label}, ${hourWords(hour)}`;
  },
  print: (_, table, { field, days, hour }) => ({
    on: 'dateNear',
    field: table.fields.find(({ id }) => id === field)?.key ?? '',
    days,
    hour,
  }),
  read(_, table, json) {
    const field = fieldNamed(table, String(json.field));
    if (!field || !isShown(field) || !['date', 'timestamp'].includes(valueTypeOf(field).is))
      return bad(`${table.label} has no day “${String(json.field)}”.`, 'Choose a field with days.', '/field');
    if (!isWithin(json.days, -3660, 3660))
      return bad('Days are a whole number; before the day it is negative.', undefined, '/days');
    const hour = readHour(json);
    return hour.ok ? good({ on: 'dateNear', field: field.id, days: json.days, hour: hour.value }) : hour;
  },
};

export const weekdays = ['Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

const timetable: TriggerDescriptor<'timetable'> = {
  label: 'On a timetable',
  timed: true,
  formulas: () => [],
  reads: () => [],
  turned: (trigger) => trigger,
  words(_, table, { every, day, hour }) {
    const when =
      every === 'day' ? 'Every day' : every === 'week' ? `Every ${weekdays[day - 1]}` : `On day ${day} of each month`;
    return `${when} ${hourWords(hour)}, for the records of ${table.label}`;
  },
  print: (_model, _table, { every, day, hour }) => ({
    on: 'timetable',
    every,
    ...(every === 'day' ? {} : { day }),
    hour,
  }),
  read(_model, _table, json) {
    const { every } = json;
    if (every !== 'day' && every !== 'week' && every !== 'month')
      return bad('It is every day, week or month.', undefined, '/every');
    const day = json.day ?? 1;
    if (!isWithin(day, 1, every === 'month' ? 31 : 7))
      return bad(every === 'month' ? 'A day of the month is 1 to 31.' : 'A weekday is 1 to 7.', undefined, '/day');
    const hour = readHour(json);
    return hour.ok ? good({ on: 'timetable', every, day, hour: hour.value }) : hour;
  },
};

/** What can be asked by a button, with the type of the field that it is read like. */
const inputTypes = {
  text: () => good({ kind: 'text' }),
  number: () => good({ kind: 'number' }),
  date: () => good({ kind: 'date' }),
  yesNo: () => good({ kind: 'yesNo' }),
  link: (model: Model, json: Written, at: string) => {
    const to = readTable(model, json.to, `${at}/to`);
    return to.ok ? good({ kind: 'link', to: to.value.id, onDelete: 'clear', counterpart: '' }) : to;
  },
} as const;

function readInput(model: Model, json: Written, at: string): Result<Field> {
  const label = String(json.label ?? '').trim();
  if (label === '') return bad('An input has no label.', 'Write what is asked.', `${at}/label`);
  const read = inputTypes[json.type as keyof typeof inputTypes] as
    ((model: Model, json: Written, at: string) => Result<FieldType>) | undefined;
  if (!read)
    return bad(`An input is one of ${Object.keys(inputTypes).join(', ')}.`, 'Choose one of them.', `${at}/type`);
  const type = read(model, json, at);
  if (!type.ok) return type;
  const key = keyFromLabel(label, 'input');
  return good({
    id: newId('f'),
    key,
    label,
    help: '',
    required: json.required === true,
    unique: false,
    type: type.value,
  });
}

const button: TriggerDescriptor<'button'> = {
  label: 'By hand',
  formulas: () => [],
  reads: () => [],
  turned: (trigger) => trigger,
  words: (_, table, { inputs }) =>
    `By hand for records of ${table.label}${inputs.length > 0 ? `, asking for ${inputs.map(({ label }) => label).join(' and ')}` : ''}`,
  print: (model, _, { inputs }) => ({
    on: 'button',
    inputs: inputs.map(({ label, required, type }) => {
      const to = type.kind === 'link' ? findTable(model, type.to) : undefined;
      return {
        label,
        type: type.kind,
        ...(to ? { to: tableKey(to) } : {}),
        ...(required === false ? {} : { required: true }),
      };
    }),
  }),
  read(model, table, json) {
    const inputs = readAll(json.inputs ?? [], '/inputs', (one, at) => readInput(model, one, at));
    if (!inputs.ok) return inputs;
    const taken = new Set(table.fields.map(({ key }) => key));
    const free = inputs.value.map((field) => {
      const key = freeKey(field.key, taken);
      taken.add(key);
      return { ...field, key };
    });
    return good({ on: 'button', inputs: free });
  },
};

/** The registry: each kind of trigger stands here once, in the order in which they are offered. */
export const triggerDescriptors: { readonly [K in TriggerKind]: TriggerDescriptor<K> } = {
  made,
  changed,
  comesTrue,
  sent,
  dateNear,
  timetable,
  button,
};

// TypeScript does not follow that kind and trigger belong together through a union of descriptors.
/** What is known of a trigger's kind. */
export const triggerKinds = (trigger: Pick<Trigger, 'on'>): TriggerDescriptor<TriggerKind> =>
  triggerDescriptors[trigger.on] as unknown as TriggerDescriptor<TriggerKind>;
