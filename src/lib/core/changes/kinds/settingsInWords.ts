import { printFormula } from '../../formula/printer';
import type { ChangeField } from '../../types/change';
import { kindWord } from '../../model/names/kindWords';
import type { Model } from '../../types/model';
import type { DeletionRule, Field, FieldType, Option } from '../../types/field';

/** What settings are called; those that are not here are called by their names. */
export const settingWords: Readonly<Record<string, string>> = {
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

const shown = (value: unknown): string =>
  value === null || value === undefined || value === '' ? 'none' : `“${String(value)}”`;

/** A setting that was given another value. */
export const fromTo = (name: string, old: unknown, now: unknown): string =>
  typeof now === 'object' && now !== null ? `${name} changed` : `${name} ${shown(old)} → ${shown(now)}`;

/** What a change of a field's settings does, in words; `old` is the field before it. */
export function settingsInWords(
  model: Model,
  { set, merge }: ChangeField,
  old: Field | undefined,
  before: Model,
): string {
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
    return `type ${old ? `${kindWord(old.kind)} → ` : ''}${kindWord(now.kind)}${options}`;
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
