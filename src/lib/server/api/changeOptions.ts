import type { Change } from '$core/types/change';
import { newId } from '$core/model/identity';
import { type Table } from '$core/types/model';
import { dyes, type Dye, type Field, type Option } from '$core/types/field';
import { refuse } from '../base/refusal';
import { optionId } from '../sql/conversion';
import type { ChangeJson } from './changeJson';

type OptionChange = ChangeJson & { do: 'addOption' | 'changeOption' | 'mergeOptions' | 'removeOption' };

/** The change of a list of options, each named by its label or its identity. */
export function changeOptions(table: Table, field: Field, json: OptionChange, at: string): Change {
  const { type } = field;
  if (type.kind !== 'option' && type.kind !== 'options')
    throw refuse(422, `“${field.label}” has no options.`, undefined, `${at}/field`);
  const find = (name: string): Option => {
    const found = type.options.find(({ id, label }) => id === name || label === name);
    if (!found)
      throw refuse(
        422,
        `“${field.label}” has no option “${name}”.`,
        `Its options are ${type.options.map(({ label }) => label).join(', ')}.`,
        at,
      );
    return found;
  };
  let options = [...type.options];
  let merge: Record<string, string> | undefined;
  switch (json.do) {
    case 'addOption': {
      const id = optionId(json.label, new Set(options.map((option) => option.id)));
      options.splice(json.at ?? options.length, 0, {
        id,
        label: json.label,
        dye: json.dye ?? (dyes[options.length % dyes.length] as Dye),
      });
      break;
    }
    case 'changeOption': {
      const { at: place, retired, ...set } = json.set;
      const { retired: was, ...before } = find(json.option);
      const now: Option = { ...before, ...set, ...((retired ?? was) ? { retired: true } : {}) };
      const from = options.findIndex(({ id }) => id === before.id);
      options.splice(from, 1);
      options.splice(place ?? from, 0, now);
      break;
    }
    case 'mergeOptions': {
      const into = find(json.into);
      merge = Object.fromEntries(
        json.from.map((name) => [find(name).id, into.id]).filter(([from]) => from !== into.id),
      );
      options = options.filter(({ id }) => !(id in (merge ?? {})));
      break;
    }
    case 'removeOption':
      options = options.filter(({ id }) => id !== find(json.option).id);
  }
  return {
    do: 'changeField',
    table: table.id,
    field: field.id,
    set: { type: { ...type, options } },
    keep: newId('k'),
    ...(merge ? { merge } : {}),
  };
}
