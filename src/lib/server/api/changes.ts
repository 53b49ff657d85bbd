import { checkCondition } from '$core/formula/checker';
import { applyChange, changesToRemoveTable } from '$core/model/change';
import type { Change, ChangeField } from '$core/types/change';
import { newId } from '$core/model/identity';
import {
  changesLinkManyness,
  changesLinkToText,
  changesOptionsToTable,
  changesTextToLink,
  changesToAddLink,
  changesToRemoveField,
} from '$core/model/linkPlans';
import { fieldNamed, findField, isToMany, ownTables, overOf, tableNamed, tableOf, typeAs } from '$core/model/model';
import { type Model, type Table } from '$core/types/model';
import { dyes, type Dye, type Field, type FieldType } from '$core/types/field';
import { freeLabel, newTableKey } from '$core/model/naming';
import { newFieldPlace, withSystemFields } from '$core/model/systemFields';
import { plainReading, takeValue, type EnteredType } from '$core/values/value';
import type { Result } from '$core/problem';
import { refuse } from '../base/refusal';
import {
  fieldJson,
  linkSettings,
  newField,
  partsOfJson,
  settingsFromJson,
  typeFromJson,
  type FieldJson,
  type OptionJson,
} from '../structure/fieldJson';
import { copyTableChanges } from './copyTable';
import { changeParts } from './changeParts';
import type { ChangeJson, Named } from './changeJson';
import { changeOptions } from './changeOptions';

/** Changes as they were sent, with names looked up and identities given; each sees what those before it made. */
export const changesFromJson = (model: Model, sent: readonly ChangeJson[]): Change[] =>
  expandedChanges(model, sent).changes;

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
        yield {
          do: 'changeTable',
          table: table.id,
          set: title === undefined ? set : { ...set, title: title === null ? null : known(table, title, at).id },
        };
        return;
      }
      case 'copyTable':
        yield* copyTableChanges(current, table, json, changesFromJson);
        return;
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
      case 'addPart':
      case 'changePart':
      case 'removePart':
        yield changeParts(current, table, json, at);
        return;
      case 'addOption':
      case 'changeOption':
      case 'mergeOptions':
      case 'removeOption':
        yield changeOptions(table, field(), json, at);
        return;
      case 'textToLink': {
        const target = targetOf(json.to, at);
        const match =
          json.match === undefined
            ? target.fields.find(({ id }) => id === target.title)
            : known(target, json.match, at);
        if (!match)
          throw refuse(
            422,
            `${target.label} has no title to compare with.`,
            'Name the field in `match`.',
            `${at}/match`,
          );
        const { many, confirmed, missing, counterpart } = json;
        yield* all(
          changesTextToLink(current, table.id, field().id, {
            to: target.id,
            match: match.id,
            many,
            confirmed,
            missing,
            counterpart,
          }),
          at,
        );
        return;
      }
      case 'linkToText':
        yield* all(changesLinkToText(current, table.id, field().id), at);
        return;
      case 'linkToOption': {
        // By way of its text, which then becomes a list; the options are those of the records it can point at.
        const link = field();
        yield* all(changesLinkToText(current, table.id, link.id), at);
        const made = fieldNamed(tableOf(current, table.id), link.key);
        if (!made) throw refuse(422, `“${link.label}” cannot become a list.`, undefined, at);
        yield {
          do: 'changeField',
          table: table.id,
          field: made.id,
          set: { type: { kind: isToMany(link) ? 'options' : 'option', options: [] } },
          keep: newId('k'),
        };
        return;
      }
      case 'linkToMany':
      case 'linkToOne':
        yield* all(changesLinkManyness(current, table.id, field().id, json.do === 'linkToMany'), at);
        return;
      case 'optionsToTable':
        yield* all(changesOptionsToTable(current, table.id, field().id, json.label), at);
    }
  }

  function* all(changes: Result<Change[]>, at: string): Generator<Change> {
    if (!changes.ok) throw refuse(422, changes.problem.message, changes.problem.fix, at);
    yield* changes.value;
  }

  function targetOf(name: string | undefined, at: string): Table {
    const target = name === undefined ? undefined : tableNamed(current, name);
    if (!target || target.pairs)
      throw refuse(
        422,
        `“${name ?? ''}” is no table that is here.`,
        'Name the table in `to`, as workspace.table when it is another workspace’s.',
        `${at}/to`,
      );
    return target;
  }

  function* addTable(json: ChangeJson & { do: 'addTable' }, at: string): Generator<Change> {
    const isLater = ({ type, default: preset }: FieldJson) =>
      type === 'link' || type === 'formula' || (typeof preset === 'object' && preset !== null && 'formula' in preset);
    const fields: Field[] = [];
    for (const field of json.fields)
      if (!isLater(field)) fields.push(newField(current, { ...emptyTable, fields }, field));
    const table: Table = {
      id: newId('t'),
      key: json.key ?? newTableKey(current, json.label),
      label: json.label,
      description: json.description ?? '',
      dye: json.dye ?? (dyes[ownTables(current).length % dyes.length] as Dye),
      ...(json.icon ? { icon: json.icon } : {}),
      title:
        json.title === null
          ? null
          : ((json.title === undefined ? titleAmong(fields) : fields.find(({ key }) => key === json.title))?.id ??
            null),
      fields: withSystemFields(fields),
    };
    yield { do: 'addTable', table, at: current.tables.filter(({ home }) => home === undefined).length };
    // Each stands where it was written: all that was written before it is there by then.
    for (const [place, field] of json.fields.entries())
      if (isLater(field)) yield* addField(tableOf(current, table.id), field, place, at);
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
      counterpart: counterpart && {
        label: counterpart.label,
        key: counterpart.key,
        ...(counterpart.off ? { off: true } : {}),
      },
    });
    yield* made.changes;
    // A limit reads the link itself, so it is written once the link stands.
    const settings = json.many ? {} : linkSettings(current, tableOf(current, table.id), target, json);
    const link = findField(current, made.field)?.field;
    if (link && Object.keys(settings).length > 0)
      yield {
        do: 'changeField',
        table: table.id,
        field: made.field,
        set: { type: { ...typeAs(link, 'link'), ...settings } },
      };
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

  function* changeField(
    table: Table,
    old: Field,
    json: ChangeJson & { do: 'changeField' },
    at: string,
  ): Generator<Change> {
    const { settings, type: members } = partsOfJson(json.set);
    let type: FieldType | undefined;
    if (Object.keys(members).length > 0) {
      if (old.type.kind === 'link') {
        const { shows: _, candidates: __, ...standing } = old.type;
        const now = { ...(fieldJson(current, old) as unknown as FieldJson), ...members };
        type = {
          ...standing,
          onDelete: members.onDelete ?? standing.onDelete,
          ...linkSettings(current, table, tableOf(current, standing.to), now),
        };
      } else if (isToMany(old)) {
        // The rule of deletion stands on the pairs' link to the far side.
        const far = findField(current, overOf(old) ?? '');
        if (far && members.onDelete)
          yield {
            do: 'changeField',
            table: far.table.id,
            field: far.field.id,
            set: {
              type: { ...typeAs(far.field, 'link'), onDelete: members.onDelete === 'prevent' ? 'prevent' : 'remove' },
            },
          };
      } else {
        const whole = { ...fieldJson(current, old), ...members, label: json.set.label ?? old.label } as FieldJson;
        type = typeFromJson(current, table, whole, old);
      }
    }
    const entered = settingsFromJson(current, table, settings, type ?? old.type);
    // What is calculated is held to no rules of its own.
    const set =
      type?.kind === 'formula' && old.type.kind !== 'formula'
        ? { ...entered, required: false, unique: false, default: null }
        : entered;
    if (type === undefined && Object.keys(set).length === 0) return;
    const taken = json.fill === undefined ? undefined : takeValue(json.fill, (type ?? old.type) as EnteredType);
    if (taken && !taken.ok) throw refuse(422, taken.problem.message, taken.problem.fix, `${at}/fill`);
    yield {
      do: 'changeField',
      table: table.id,
      field: old.id,
      set: { ...set, ...(type ? { type } : {}) } as ChangeField['set'],
      ...(type && type.kind !== 'link' && !(type.kind === 'formula' && old.type.kind === 'formula')
        ? { keep: newId('k') }
        : {}),
      ...(json.reading ? { reading: { ...plainReading, ...json.reading } } : {}),
      ...(json.breaking === 'setAside' ? { breaking: json.breaking } : {}),
      ...(taken ? { fill: taken.value } : {}),
      ...(type && old.type.kind !== 'option' && old.type.kind !== 'options'
        ? spellings(type, json.set.options ?? [])
        : {}),
    };
  }

  function addRule(table: Table, json: ChangeJson & { do: 'addRule' }, at: string): Change {
    const base = { id: newId('r'), message: json.message, ...(json.fromNow ? { fromNow: true as const } : {}) };
    const place = table.rules?.length ?? 0;
    const more = {
      ...(json.breaking ? { breaking: json.breaking } : {}),
      ...(json.clear ? { clear: known(table, json.clear, at).id } : {}),
    };
    if (json.unique)
      return {
        do: 'addRule',
        table: table.id,
        at: place,
        rule: { ...base, kind: 'unique', fields: json.unique.map((name) => known(table, name, at).id) },
        ...more,
      };
    const { expression, problems } = checkCondition(current, table.id, json.condition ?? '');
    if (!expression)
      throw refuse(422, problems[0]?.message ?? 'The condition cannot be read.', problems[0]?.fix, problems[0]?.at);
    return {
      do: 'addRule',
      table: table.id,
      at: place,
      rule: { ...base, kind: 'holds', condition: expression },
      ...more,
    };
  }
}

/** What a new table's records are called by, unless it is said: a name, else the first text, else what stands first. */
const titleAmong = (fields: readonly Field[]): Field | undefined => {
  const texts = fields.filter(({ type }) => type.kind === 'text');
  return texts.find(({ key }) => key === 'name' || key === 'title') ?? texts[0] ?? fields[0];
};

/** The texts that each option also takes, as a change has them. */
function spellings(type: FieldType, sent: readonly OptionJson[]): Pick<ChangeField, 'merge'> {
  if (type.kind !== 'option' && type.kind !== 'options') return {};
  const merge = sent.flatMap((one, index) =>
    typeof one === 'string' ? [] : (one.also ?? []).map((text) => [text, type.options[index]?.id ?? ''] as const),
  );
  return merge.length > 0 ? { merge: Object.fromEntries(merge) } : {};
}

const emptyTable: Table = { id: '', key: '', label: '', description: '', dye: 'woad', title: null, fields: [] };

function known(table: Table, name: string, at: string): Field {
  const found = fieldNamed(table, name);
  if (!found)
    throw refuse(
      422,
      `${table.label} has no field “${name}”.`,
      `Its fields are ${table.fields.map(({ key }) => key).join(', ')}.`,
      `${at}/field`,
    );
  return found;
}
