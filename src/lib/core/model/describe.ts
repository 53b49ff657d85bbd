import { printFormula } from '../formula/printer';
import type { Change, ChangeField } from '../types/change';
import { dyeWords, kindWords } from './kindWords';
import { findField } from './model';
import type { Model } from '../types/model';
import type { DeletionRule, Dye, Field, FieldType, Option } from '../types/field';

/** What settings are called; those that are not here are called by their names. */
const settingWords: Readonly<Record<string, string>> = {
  help: 'help text',
  placeholder: 'placeholder',
  example: 'example',
  description: 'description',
  default: 'default value',
  off: 'switched off',
  internal: 'internal',
  unlisted: 'left out of exports',
  title: 'title field',
  type: 'type',
};

const deletionWords: Record<DeletionRule, string> = {
  prevent: 'prevent',
  clear: 'clear the link',
  remove: 'delete this record too',
};

/**
 * What a change does, in a few of the person's words, with what was before where something is given another value.
 * `model` is any model that knows its tables and fields, `before` the one before the change.
 */
export function describeChange(model: Model, change: Change, before: Model = model): string {
  const table = (id: string) => model.tables.find((other) => other.id === id)?.label ?? 'a table';
  const field = (owner: string, id: string) =>
    model.tables.find((other) => other.id === owner)?.fields.find((other) => other.id === id)?.label ?? 'a field';
  const named = (owner: string, id: string) => `${table(owner)}.${field(owner, id)}`;
  switch (change.do) {
    case 'addTable':
      return change.table.pairs ? `pairs of ${change.table.label}` : `new table ${change.table.label}`;
    case 'changeTable': {
      const old = before.tables.find(({ id }) => id === change.table);
      const words = Object.entries(change.set).map(([name, value]) =>
        name === 'title'
          ? 'another title field'
          : name === 'dye'
            ? fromTo('colour', old && dyeWords[old.dye], dyeWords[value as Dye])
            : fromTo(settingWords[name] ?? name, old?.[name as 'label'], value),
      );
      return `${table(change.table)}: ${words.join(', ')}`;
    }
    case 'removeTable':
      return `table ${table(change.table)} to the bin`;
    case 'addField':
      return `new field ${table(change.table)}.${change.field.label}`;
    case 'changeField':
      return `${named(change.table, change.field)}: ${settingsInWords(model, change, findField(before, change.field)?.field, before)}`;
    case 'removeField':
      return `field ${named(change.table, change.field)} to the bin`;
    case 'moveField':
      return `${named(change.table, change.field)} moved to place ${change.to + 1}`;
    case 'addRule':
      return `${table(change.table)}: new rule “${change.rule.message}”`;
    case 'removeRule':
      return `${table(change.table)}: a rule removed`;
    case 'addView':
      return `${table(change.table)}: new view “${change.view.label}”`;
    case 'changeView':
      return `${table(change.table)}: view “${change.view.label}” changed`;
    case 'removeView':
      return `${table(change.table)}: a view deleted`;
    case 'addForm':
      return `${table(change.table)}: new form “${change.form.label}”`;
    case 'changeForm':
      return `${table(change.table)}: form “${change.form.label}” changed`;
    case 'removeForm':
      return `${table(change.table)}: a form deleted`;
    case 'copyValues':
      return `${named(change.table, change.to)} filled from ${field(change.table, change.from)}`;
  }
}

const shown = (value: unknown): string =>
  value === null || value === undefined || value === '' ? 'none' : `“${String(value)}”`;

const fromTo = (name: string, old: unknown, now: unknown): string =>
  typeof now === 'object' && now !== null ? `${name} changed` : `${name} ${shown(old)} → ${shown(now)}`;

function settingsInWords(model: Model, { set, merge }: ChangeField, old: Field | undefined, before: Model): string {
  const words = Object.entries(set).map(([name, value]) => {
    switch (name) {
      case 'required':
        return value === 'fromNow' ? 'required from now on' : value ? 'required' : 'no longer required';
      case 'unique':
        return value ? 'unique' : 'no longer unique';
      case 'off':
        return value ? 'switched off' : 'switched on again';
      case 'internal':
        return value ? 'internal' : 'no longer internal';
      case 'unlisted':
        return value ? 'left out of exports' : 'in exports again';
      case 'type':
        return typeInWords(model, before, old?.type, value as FieldType, merge);
      default:
        return fromTo(settingWords[name] ?? name, old?.[name as 'label'], value);
    }
  });
  return words.join(', ');
}

/** A type beside the one before: the kind, or what differs within it. */
function typeInWords(
  model: Model,
  before: Model,
  old: FieldType | undefined,
  now: FieldType,
  merge: ChangeField['merge'],
): string {
  if (!old || old.kind !== now.kind) {
    const isList = (type?: FieldType) => type?.kind === 'option' || type?.kind === 'options';
    const options =
      (now.kind === 'option' || now.kind === 'options') && !isList(old)
        ? ` of ${firstOf(now.options.map(({ label }) => label))}`
        : '';
    return `type ${old ? `${kindWords[old.kind]} → ` : ''}${kindWords[now.kind]}${options}`;
  }
  const found: string[] = [];
  if (old.kind === 'formula' && now.kind === 'formula')
    found.push(`formula ${printFormula(before, old.formula)} → ${printFormula(model, now.formula)}`);
  if (old.kind === 'link' && now.kind === 'link' && old.onDelete !== now.onDelete)
    found.push(`on deletion of the linked record: ${deletionWords[old.onDelete]} → ${deletionWords[now.onDelete]}`);
  if ((old.kind === 'option' || old.kind === 'options') && now.kind === old.kind)
    found.push(...optionsInWords(old.options, now.options, merge ?? {}));
  const others = Object.keys({ ...old, ...now }).filter(
    (name) =>
      !['kind', 'formula', 'result', 'onDelete', 'options', 'counterpart'].includes(name) &&
      JSON.stringify(old[name as 'kind']) !== JSON.stringify(now[name as 'kind']),
  );
  for (const name of others) found.push(fromTo(typeSettings[name] ?? name, old[name as 'kind'], now[name as 'kind']));
  return found.length > 0 ? found.join(', ') : 'type as before';
}

const typeSettings: Readonly<Record<string, string>> = {
  digits: 'decimals',
  maxLength: 'longest text',
  most: 'highest rating',
  candidates: 'limit of choices',
  shows: 'lookup fields',
  open: 'people may add options',
  entry: 'entered by',
};

/** The first few of a list, and how many more there are. */
const firstOf = (words: readonly string[], few = 4): string =>
  words.length === 0
    ? 'no options'
    : words.length <= few + 1
      ? words.join(', ')
      : `${words.slice(0, few).join(', ')} and ${words.length - few} more`;

function optionsInWords(
  old: readonly Option[],
  now: readonly Option[],
  merge: Readonly<Record<string, string>>,
): string[] {
  const label = (options: readonly Option[], id: string) => options.find((one) => one.id === id)?.label;
  const merged = Object.entries(merge).map(
    ([from, into]) => `“${label(old, from) ?? from}” merged into “${label(now, into) ?? into}”`,
  );
  const added = now.filter(({ id }) => label(old, id) === undefined).map((one) => `option “${one.label}” added`);
  const gone = old
    .filter(({ id }) => label(now, id) === undefined && !(id in merge))
    .map((one) => `option “${one.label}” removed`);
  const renamed = now.flatMap((one) => {
    const was = label(old, one.id);
    return was === undefined || was === one.label ? [] : [`option “${was}” → “${one.label}”`];
  });
  const retired = now.flatMap((one) => {
    const was = old.find(({ id }) => id === one.id);
    return was && was.retired !== one.retired
      ? [`option “${one.label}” ${one.retired ? 'no longer offered' : 'offered again'}`]
      : [];
  });
  const all = [...merged, ...renamed, ...added, ...gone, ...retired];
  if (all.length === 0) return ['order or colours of the options changed'];
  return all.length > 4 ? [...all.slice(0, 3), `${all.length - 3} more options changed`] : all;
}
