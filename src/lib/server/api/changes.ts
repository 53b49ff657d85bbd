import Joi from 'joi';
import { checkCondition } from '$core/formula/checker';
import { printFormula } from '$core/formula/printer';
import { applyChange, changesToRemoveTable, type Breaking, type Change, type ChangeField } from '$core/model/change';
import { newId } from '$core/model/identity';
import {
  changesLinkManyness,
  changesLinkToText,
  changesOptionsToTable,
  changesTextToLink,
  changesToAddLink,
  changesToRemoveField,
} from '$core/model/linkPlans';
import {
  dyes,
  fieldNamed,
  findField,
  isToMany,
  ownTables,
  overOf,
  tableNamed,
  tableOf,
  typeAs,
  type Dye,
  type Field,
  type FieldType,
  type Model,
  type Option,
  type Table,
} from '$core/model/model';
import { freeLabel, newTableKey } from '$core/model/naming';
import { newFieldPlace, withSystemFields } from '$core/model/systemFields';
import { plainReading, takeValue, type EnteredType, type Reading } from '$core/values/value';
import type { Result } from '$core/problem';
import { refuse } from '../refusal';
import { optionId } from '../tables/conversion';
import {
  fieldJson,
  fieldNames,
  fieldSchema,
  linkSettings,
  newField,
  partsOfJson,
  settingsFromJson,
  typeFromJson,
  typeMembers,
  type FieldJson,
} from './fieldJson';

const label = Joi.string().trim().max(120);
const tableNames = {
  label,
  key: Joi.string(),
  description: Joi.string().allow('').max(2000),
  dye: Joi.string().valid(...dyes),
  title: Joi.string().allow(null),
};
const names = { table: Joi.string().required(), field: Joi.string().required() };
const one = (name: string, members: Joi.SchemaMap) => Joi.object({ do: Joi.string().valid(name).required(), ...members });
const breaking = Joi.string().valid('refuse', 'setAside');
const matching = {
  to: Joi.string().required(),
  match: Joi.string().description('the field of the target that the texts say; its title unless said otherwise'),
  confirmed: Joi.object().pattern(Joi.string(), Joi.number().integer()).description('near misses that were confirmed: text → record'),
  missing: Joi.string().valid('setAside', 'create').default('setAside'),
  many: Joi.boolean(),
  counterpart: Joi.object({ label, key: Joi.string(), off: Joi.boolean() }),
};

/** What `changes` of a plan holds. Those below the line stand for several at once. */
export const changesSchema = Joi.array()
  .min(1)
  .max(5000)
  .items(
    one('addTable', { ...tableNames, label: label.required(), fields: Joi.array().items(fieldSchema).default([]) }),
    one('changeTable', { table: names.table, set: Joi.object(tableNames).min(1).required() }),
    one('removeTable', { table: names.table }),
    one('addField', { table: names.table, field: fieldSchema.required(), at: Joi.number().integer().min(0) }),
    one('changeField', {
      ...names,
      set: Joi.object({ ...fieldNames, ...typeMembers })
        .min(1)
        .required(),
      reading: Joi.object({ decimal: Joi.string().valid('.', ','), dateOrder: Joi.string().valid('ymd', 'dmy', 'mdy') }),
      breaking,
      fill: Joi.any(),
    }),
    one('removeField', names),
    one('moveField', { ...names, to: Joi.number().integer().min(0).required() }),
    one('addRule', {
      table: names.table,
      message: Joi.string().trim().max(300).required(),
      condition: Joi.string().max(10_000),
      unique: Joi.array().items(Joi.string()).min(2).max(8),
      fromNow: Joi.boolean(),
      breaking,
      clear: Joi.string().description('the field whose values are set aside where they break the rule'),
    }).xor('condition', 'unique'),
    one('removeRule', { table: names.table, rule: Joi.string().required() }),
    one('addOption', { ...names, label: label.required(), dye: Joi.string().valid(...dyes), at: Joi.number().integer().min(0) }),
    one('changeOption', {
      ...names,
      option: Joi.string().required(),
      set: Joi.object({ label, dye: Joi.string().valid(...dyes), retired: Joi.boolean(), at: Joi.number().integer().min(0) })
        .min(1)
        .required(),
    }),
    one('mergeOptions', { ...names, from: Joi.array().items(Joi.string()).min(1).required(), into: Joi.string().required() }),
    one('removeOption', { ...names, option: Joi.string().required() }),
    one('textToLink', { ...names, ...matching }),
    one('linkToText', names),
    one('linkToMany', names),
    one('linkToOne', names),
    one('optionsToTable', { ...names, label: label.required() }),
  );

interface Named {
  readonly table: string;
  readonly field: string;
}
type TableSettings = Partial<Pick<Table, 'key' | 'label' | 'description' | 'dye' | 'title'>>;

export type ChangeJson =
  | ({ readonly do: 'addTable'; readonly label: string; readonly fields: readonly FieldJson[] } & TableSettings)
  | { readonly do: 'changeTable'; readonly table: string; readonly set: TableSettings }
  | { readonly do: 'removeTable'; readonly table: string }
  | { readonly do: 'addField'; readonly table: string; readonly field: FieldJson; readonly at?: number }
  | ({
      readonly do: 'changeField';
      readonly set: Partial<FieldJson>;
      readonly reading?: Partial<Reading>;
      readonly breaking?: Breaking;
      readonly fill?: unknown;
    } & Named)
  | ({ readonly do: 'removeField' } & Named)
  | ({ readonly do: 'moveField'; readonly to: number } & Named)
  | {
      readonly do: 'addRule';
      readonly table: string;
      readonly message: string;
      readonly condition?: string;
      readonly unique?: readonly string[];
      readonly fromNow?: boolean;
      readonly breaking?: Breaking;
      readonly clear?: string;
    }
  | { readonly do: 'removeRule'; readonly table: string; readonly rule: string }
  | ({ readonly do: 'addOption'; readonly label: string; readonly dye?: Dye; readonly at?: number } & Named)
  | ({ readonly do: 'changeOption'; readonly option: string; readonly set: { label?: string; dye?: Dye; retired?: boolean; at?: number } } & Named)
  | ({ readonly do: 'mergeOptions'; readonly from: readonly string[]; readonly into: string } & Named)
  | ({ readonly do: 'removeOption'; readonly option: string } & Named)
  | ({
      readonly do: 'textToLink';
      readonly to: string;
      readonly match?: string;
      readonly confirmed?: Record<string, number>;
      readonly missing?: 'setAside' | 'create';
      readonly many?: boolean;
      readonly counterpart?: { label?: string; key?: string; off?: true };
    } & Named)
  | ({ readonly do: 'linkToText' | 'linkToMany' | 'linkToOne' } & Named)
  | ({ readonly do: 'optionsToTable'; readonly label: string } & Named);

/** Changes as they were sent, with names looked up and identities given; each sees what those before it made. */
export const changesFromJson = (model: Model, sent: readonly ChangeJson[]): Change[] => expandedChanges(model, sent).changes;

/** The same with the place in what was sent from which each change comes. */
export function expandedChanges(model: Model, sent: readonly ChangeJson[]): { changes: Change[]; sources: number[] } {
  const changes: Change[] = [];
  const sources: number[] = [];
  let current = model;
  sent.forEach((json, index) => {
    for (const change of expand(json, `/changes/${index}`)) {
      step(change);
      sources.push(index);
    }
  });
  return { changes, sources };

  function step(change: Change): void {
    changes.push(change);
    const applied = applyChange(current, change);
    // What cannot be applied is said by the plan's effects; names after it are looked up without it.
    current = applied.ok ? applied.value : current;
  }

  /** One sent change may stand for several: a table with its links, or one removed with what hangs on it. */
  function* expand(json: ChangeJson, at: string): Generator<Change> {
    if (json.do === 'addTable') {
      yield* addTable(json, at);
      return;
    }
    const table = tableNamed(current, json.table);
    if (!table)
      throw refuse(
        422,
        `There is no table “${json.table}”.`,
        `Tables are ${
          ownTables(current)
            .map(({ key }) => key)
            .join(', ') || 'yet to be made'
        }.`,
        `${at}/table`,
      );
    const field = () => known(table, (json as Named).field, at);
    switch (json.do) {
      case 'changeTable': {
        const { title, ...set } = json.set;
        yield { do: 'changeTable', table: table.id, set: title === undefined ? set : { ...set, title: title === null ? null : known(table, title, at).id } };
        return;
      }
      case 'removeTable':
        yield* changesToRemoveTable(current, table.id);
        return;
      case 'addField':
        yield* addField(table, json.field, json.at, at);
        return;
      case 'changeField':
        yield* changeField(table, field(), json, at);
        return;
      case 'removeField':
        yield* changesToRemoveField(current, field(), table.id);
        return;
      case 'moveField':
        yield { do: 'moveField', table: table.id, field: field().id, to: json.to };
        return;
      case 'addRule':
        yield addRule(table, json, at);
        return;
      case 'removeRule':
        yield { do: 'removeRule', table: table.id, rule: json.rule };
        return;
      case 'addOption':
      case 'changeOption':
      case 'mergeOptions':
      case 'removeOption':
        yield changeOptions(table, field(), json, at);
        return;
      case 'textToLink': {
        const target = targetOf(json.to, at);
        const match = json.match === undefined ? target.fields.find(({ id }) => id === target.title) : known(target, json.match, at);
        if (!match) throw refuse(422, `${target.label} has no title to compare with.`, 'Name the field in `match`.', `${at}/match`);
        const { many, confirmed, missing, counterpart } = json;
        yield* all(changesTextToLink(current, table.id, field().id, { to: target.id, match: match.id, many, confirmed, missing, counterpart }), at);
        return;
      }
      case 'linkToText':
        yield* all(changesLinkToText(current, table.id, field().id), at);
        return;
      case 'linkToMany':
      case 'linkToOne':
        yield* all(changesLinkManyness(current, table.id, field().id, json.do === 'linkToMany'), at);
        return;
      case 'optionsToTable':
        yield* all(changesOptionsToTable(current, table.id, field().id, json.label), at);
    }
  }

  function* all(changes: Result<Change[]>, at: string): Generator<Change> {
    if (!changes.ok) throw refuse(422, changes.problem.message, changes.problem.mend, at);
    yield* changes.value;
  }

  function targetOf(name: string | undefined, at: string): Table {
    const target = name === undefined ? undefined : tableNamed(current, name);
    if (!target || target.pairs)
      throw refuse(422, `“${name ?? ''}” is no table that is here.`, 'Name the table in `to`, as workspace.table when it is another workspace’s.', `${at}/to`);
    return target;
  }

  function* addTable(json: ChangeJson & { do: 'addTable' }, at: string): Generator<Change> {
    const isLater = ({ type, default: preset }: FieldJson) =>
      type === 'link' || type === 'formula' || (typeof preset === 'object' && preset !== null && 'formula' in preset);
    const fields: Field[] = [];
    for (const field of json.fields) if (!isLater(field)) fields.push(newField(current, { ...emptyTable, fields }, field));
    const table: Table = {
      id: newId('t'),
      key: json.key ?? newTableKey(current, json.label),
      label: json.label,
      description: json.description ?? '',
      dye: json.dye ?? (dyes[ownTables(current).length % dyes.length] as Dye),
      title:
        json.title === null
          ? null
          : ((json.title === undefined ? (fields.find(({ type }) => type.kind === 'text') ?? fields[0]) : fields.find(({ key }) => key === json.title))?.id ??
            null),
      fields: withSystemFields(fields),
    };
    yield { do: 'addTable', table, at: current.tables.filter(({ home }) => home === undefined).length };
    for (const field of json.fields) {
      // New fields stand before those of the system.
      if (isLater(field)) yield* addField(tableOf(current, table.id), field, undefined, at);
    }
  }

  function* addField(table: Table, json: FieldJson, place: number | undefined, at: string): Generator<Change> {
    const where = place ?? newFieldPlace(table.fields);
    if (json.type !== 'link') {
      yield { do: 'addField', table: table.id, at: where, field: newField(current, table, json) };
      return;
    }
    const target = targetOf(json.to, `${at}/field`);
    const { type: _, id: __, ...field } = newField(current, table, json);
    const { counterpart } = json;
    const made = changesToAddLink(current, {
      table: table.id,
      at: where,
      to: target.id,
      field,
      onDelete: json.onDelete ?? 'prevent',
      many: json.many ?? false,
      counterpart: counterpart && { label: counterpart.label, key: counterpart.key, ...(counterpart.off ? { off: true } : {}) },
    });
    yield* made.changes;
    // A limit reads the link itself, so it is written once the link stands.
    const settings = json.many ? {} : linkSettings(current, tableOf(current, table.id), target, json);
    const link = findField(current, made.field)?.field;
    if (link && Object.keys(settings).length > 0)
      yield { do: 'changeField', table: table.id, field: made.field, set: { type: { ...typeAs(link, 'link'), ...settings } } };
    for (const name of json.brings ?? []) {
      const brought = known(target, name, at);
      const formula = `${json.many ? `string_agg(${field.key}.${brought.key}, ', ')` : `${field.key}.${brought.key}`}`;
      const owner = tableOf(current, table.id);
      yield {
        do: 'addField',
        table: table.id,
        at: newFieldPlace(owner.fields),
        field: newField(current, owner, {
          label: freeLabel(
            brought.label,
            owner.fields.map((one) => one.label),
          ),
          type: 'formula',
          formula,
        }),
      };
    }
  }

  function* changeField(table: Table, old: Field, json: ChangeJson & { do: 'changeField' }, at: string): Generator<Change> {
    const { settings, type: members } = partsOfJson(json.set);
    let type: FieldType | undefined;
    if (Object.keys(members).length > 0) {
      if (old.type.kind === 'link') {
        const { shows: _, candidates: __, ...standing } = old.type;
        const now = { ...(fieldJson(current, old) as unknown as FieldJson), ...members };
        type = { ...standing, onDelete: members.onDelete ?? standing.onDelete, ...linkSettings(current, table, tableOf(current, standing.to), now) };
      } else if (isToMany(old)) {
        // The rule of deletion stands on the pairs' link to the far side.
        const far = findField(current, overOf(old) ?? '');
        if (far && members.onDelete)
          yield {
            do: 'changeField',
            table: far.table.id,
            field: far.field.id,
            set: { type: { ...typeAs(far.field, 'link'), onDelete: members.onDelete === 'prevent' ? 'prevent' : 'remove' } },
          };
      } else {
        const whole = { ...fieldJson(current, old), ...members, label: json.set.label ?? old.label } as FieldJson;
        type = typeFromJson(current, table, whole, old);
      }
    }
    const set = settingsFromJson(current, table, settings, type ?? old.type);
    if (type === undefined && Object.keys(set).length === 0) return;
    const taken = json.fill === undefined ? undefined : takeValue(json.fill, (type ?? old.type) as EnteredType);
    if (taken && !taken.ok) throw refuse(422, taken.problem.message, taken.problem.mend, `${at}/fill`);
    yield {
      do: 'changeField',
      table: table.id,
      field: old.id,
      set: { ...set, ...(type ? { type } : {}) } as ChangeField['set'],
      ...(type && type.kind !== 'link' && type.kind !== 'formula' ? { keep: newId('k') } : {}),
      ...(json.reading ? { reading: { ...plainReading, ...json.reading } } : {}),
      ...(json.breaking === 'setAside' ? { breaking: json.breaking } : {}),
      ...(taken ? { fill: taken.value } : {}),
    };
  }

  function addRule(table: Table, json: ChangeJson & { do: 'addRule' }, at: string): Change {
    const base = { id: newId('r'), message: json.message, ...(json.fromNow ? { fromNow: true as const } : {}) };
    const place = table.rules?.length ?? 0;
    const more = { ...(json.breaking ? { breaking: json.breaking } : {}), ...(json.clear ? { clear: known(table, json.clear, at).id } : {}) };
    if (json.unique)
      return {
        do: 'addRule',
        table: table.id,
        at: place,
        rule: { ...base, kind: 'unique', fields: json.unique.map((name) => known(table, name, at).id) },
        ...more,
      };
    const { expression, problems } = checkCondition(current, table.id, json.condition ?? '');
    if (!expression) throw refuse(422, problems[0]?.message ?? 'The condition cannot be read.', problems[0]?.mend, problems[0]?.at);
    return { do: 'addRule', table: table.id, at: place, rule: { ...base, kind: 'holds', condition: expression }, ...more };
  }

  function changeOptions(
    table: Table,
    field: Field,
    json: ChangeJson & { do: 'addOption' | 'changeOption' | 'mergeOptions' | 'removeOption' },
    at: string,
  ): Change {
    const { type } = field;
    if (type.kind !== 'option' && type.kind !== 'options') throw refuse(422, `“${field.label}” has no options.`, undefined, `${at}/field`);
    const find = (name: string): Option => {
      const found = type.options.find(({ id, label: word }) => id === name || word === name);
      if (!found)
        throw refuse(422, `“${field.label}” has no option “${name}”.`, `Its options are ${type.options.map(({ label: word }) => word).join(', ')}.`, at);
      return found;
    };
    let options = [...type.options];
    let merge: Record<string, string> | undefined;
    switch (json.do) {
      case 'addOption': {
        const id = optionId(json.label, new Set(options.map((option) => option.id)));
        options.splice(json.at ?? options.length, 0, { id, label: json.label, dye: json.dye ?? (dyes[options.length % dyes.length] as Dye) });
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
        merge = Object.fromEntries(json.from.map((name) => [find(name).id, into.id]).filter(([from]) => from !== into.id));
        options = options.filter(({ id }) => !(id in (merge ?? {})));
        break;
      }
      case 'removeOption':
        options = options.filter(({ id }) => id !== find(json.option).id);
    }
    return { do: 'changeField', table: table.id, field: field.id, set: { type: { ...type, options } }, keep: newId('k'), ...(merge ? { merge } : {}) };
  }
}

const emptyTable: Table = { id: '', key: '', label: '', description: '', dye: 'woad', title: null, fields: [] };

function known(table: Table, name: string, at: string): Field {
  const found = fieldNamed(table, name);
  if (!found) throw refuse(422, `${table.label} has no field “${name}”.`, `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`, `${at}/field`);
  return found;
}

/** The structure as one JSON value, as `GET …/model` answers it: the workspace's own tables. */
export const modelJson = (model: Model) => ({
  tables: ownTables(model).map((table) => ({
    id: table.id,
    key: table.key,
    label: table.label,
    description: table.description,
    dye: table.dye,
    title: table.fields.find(({ id }) => id === table.title)?.key ?? null,
    fields: table.fields.map((field) => fieldJson(model, field)),
    rules: (table.rules ?? []).map((rule) =>
      rule.kind === 'holds'
        ? { id: rule.id, message: rule.message, condition: printFormula(model, rule.condition), ...(rule.fromNow ? { fromNow: true } : {}) }
        : { id: rule.id, message: rule.message, unique: rule.fields.map((id) => findField(model, id)?.field.key ?? '') },
    ),
  })),
});
