import { dependentsOf } from '../parts/dependents';
import { bad, good, type Result } from '../base/problem';
import { applyChange, applyChanges, changesToRemoveTable } from './change';
import type { Change, CopyValues } from '../types/change';
import { newId, type FieldId, type TableId } from '../types/identity';
import { fieldOf, isToMany, linkedTable, tableOf, typeAs } from '../model/model';
import { type Model, type Table } from '../types/model';
import { dyes, type DeletionRule, type Dye, type Field } from '../types/field';
import { partsThatFollow, turnedUser } from './followers';
import { freeLabel, newFieldKey, newTableKey } from '../model/names/naming';
import { newFieldPlace, withSystemFields } from '../model/systemFields';

/** Names of a new field; the key is made from the label unless it is given. */
interface FieldNames {
  readonly label: string;
  readonly key?: string;
}

export interface LinkWish {
  readonly table: TableId;
  readonly at: number;
  readonly to: TableId;
  readonly field: Omit<Field, 'type' | 'id'>;
  readonly onDelete: DeletionRule;
  readonly many: boolean;
  /** Of a feed's source: only the feed writes it. */
  readonly fed?: true;
  /** How the other side is called; its table's label unless said otherwise. */
  readonly counterpart?: Partial<FieldNames> & { readonly off?: true };
}

const plain = (label: string, key: string, type: Field['type'], more: Partial<Field> = {}): Field => ({
  id: newId('f'),
  key,
  label,
  help: '',
  required: false,
  unique: false,
  type,
  ...more,
});

/** The field on the far side of a link, called as wished or as the table the link is on. */
function counterpartOf(
  model: Model,
  wish: LinkWish,
  taken: readonly Field[],
): { label: string; key: string; off?: true } {
  const label =
    wish.counterpart?.label ??
    freeLabel(
      tableOf(model, wish.table).label,
      taken.map((field) => field.label),
    );
  return {
    label,
    key: wish.counterpart?.key ?? newFieldKey(taken, label),
    ...(wish.counterpart?.off ? { off: true } : {}),
  };
}

/**
 * The identities of what makes a link to many: the table of pairs, its two links, and the fields that show either side.
 */
export interface PairsIdentities {
  readonly pairs: TableId;
  readonly near: FieldId;
  readonly far: FieldId;
  readonly here: FieldId;
  readonly there: FieldId;
}

/**
 * The changes that make a link: to one a field with its counterpart, to many a table of pairs with a link to each side.
 * Gives the new field's identity, too.
 */
export function changesToAddLink(
  model: Model,
  wish: LinkWish,
  given?: PairsIdentities,
): { field: FieldId; changes: Change[] } {
  const [table, target] = [tableOf(model, wish.table), tableOf(model, wish.to)];
  // On a table that links to itself, the counterpart is named around the link.
  const taken =
    target.id === table.id
      ? [...target.fields, { ...plain(wish.field.label, wish.field.key, { kind: 'yesNo' }) }]
      : target.fields;
  const other = counterpartOf(model, wish, taken);
  const otherAt = newFieldPlace(target.fields) + (target.id === table.id ? 1 : 0);
  if (!wish.many) {
    const [link, counterpart] = [newId('f'), newId('f')];
    return {
      field: link,
      changes: [
        {
          do: 'addField',
          table: table.id,
          at: wish.at,
          field: {
            ...wish.field,
            id: link,
            type: {
              kind: 'link',
              to: target.id,
              onDelete: wish.onDelete,
              counterpart,
              ...(wish.fed ? { fed: true } : {}),
            },
          },
          counterpart: {
            at: otherAt,
            field: {
              ...plain(
                other.label,
                other.key,
                { kind: 'counterpart', from: table.id, link },
                other.off ? { off: true } : {},
              ),
              id: counterpart,
            },
          },
        },
      ],
    };
  }
  const ids = given ?? { pairs: newId('t'), near: newId('f'), far: newId('f'), here: newId('f'), there: newId('f') };
  const label = freeLabel(
    `${table.label} ${wish.field.label}`,
    model.tables.map((one) => one.label),
  );
  const pairs: Table = {
    id: ids.pairs,
    key: newTableKey(model, label),
    label,
    description: '',
    dye: table.dye,
    title: null,
    fields: [],
    pairs: true,
  };
  const nearKey = table.key;
  const farKey = target.key === nearKey ? `${target.key}_linked` : target.key;
  return {
    field: ids.here,
    changes: [
      { do: 'addTable', table: pairs, at: model.tables.filter(({ home }) => home === undefined).length },
      {
        do: 'addField',
        table: ids.pairs,
        at: 0,
        field: {
          ...plain(
            table.label,
            nearKey,
            { kind: 'link', to: table.id, onDelete: 'remove', counterpart: ids.here },
            { required: true },
          ),
          id: ids.near,
        },
        counterpart: {
          at: wish.at,
          field: {
            ...wish.field,
            id: ids.here,
            type: { kind: 'counterpart', from: ids.pairs, link: ids.near, over: ids.far },
          },
        },
      },
      {
        do: 'addField',
        table: ids.pairs,
        at: 1,
        field: {
          ...plain(
            target.id === table.id ? `${target.label} linked` : target.label,
            farKey,
            {
              kind: 'link',
              to: target.id,
              onDelete: wish.onDelete === 'prevent' ? 'prevent' : 'remove',
              counterpart: ids.there,
            },
            { required: true },
          ),
          id: ids.far,
        },
        counterpart: {
          at: otherAt,
          field: {
            ...plain(
              other.label,
              other.key,
              { kind: 'counterpart', from: ids.pairs, link: ids.far, over: ids.near },
              other.off ? { off: true } : {},
            ),
            id: ids.there,
          },
        },
      },
      {
        do: 'addRule',
        table: ids.pairs,
        at: 0,
        rule: {
          id: newId('r'),
          kind: 'unique',
          fields: [ids.near, ids.far],
          message: 'These two records are linked already.',
        },
      },
    ],
  };
}

/** The changes that put a field in the bin: a link to many goes with its table of pairs. */
export const changesToRemoveField = (model: Model, field: Field, table: TableId): Change[] =>
  isToMany(field)
    ? changesToRemoveTable(model, typeAs(field, 'counterpart').from)
    : [{ do: 'removeField', table, field: field.id }];

/** How a text finds the record it means. */
export interface TextMatching extends Pick<CopyValues, 'confirmed' | 'missing'> {
  readonly to: TableId;
  /** The field of the target that the texts say. */
  readonly match: FieldId;
  readonly many?: boolean;
  readonly counterpart?: LinkWish['counterpart'];
}

/**
 * A field of texts or options becomes a link to the records that they name, keeping its names and its place; what used
 * the text reads the record's field instead.
 */
export function changesTextToLink(model: Model, table: TableId, id: FieldId, matching: TextMatching): Result<Change[]> {
  const { field: old } = fieldOf(model, id);
  const target = tableOf(model, matching.to);
  const match = target.fields.find((field) => field.id === matching.match);
  if (!match || match.type.kind === 'counterpart')
    return bad(`${target.label} has no such field to compare with.`, 'Choose one of its fields.');
  if (matching.missing === 'create' && !['text', 'longText'].includes(match.type.kind))
    return bad(
      `New records of ${target.label} cannot be made from texts by “${match.label}”.`,
      'Compare with a field of text, or set what is missing aside.',
    );
  return replaced(
    model,
    table,
    old,
    { kind: 'link', to: matching.to, many: matching.many ?? false, counterpart: matching.counterpart },
    (to) => ({
      do: 'copyValues',
      table,
      from: id,
      to,
      match: matching.match,
      ...(matching.confirmed ? { confirmed: matching.confirmed } : {}),
      missing: matching.missing ?? 'setAside',
    }),
    match.key,
  );
}

/**
 * The table a link leads to, whether to one or to many; a problem for what is none, and for the other side of a link to
 * one.
 */
function ownTarget(model: Model, field: Field): Result<Table> {
  const linked = linkedTable(model, field);
  if (!linked) return bad(`“${field.label}” is no link.`);
  return field.type.kind === 'link' || isToMany(field)
    ? good(linked.table)
    : bad(`“${field.label}” is the other side of a link.`, `Change the link itself, in ${linked.table.label}.`);
}

/** A link becomes the text of its target's title. */
export function changesLinkToText(model: Model, table: TableId, id: FieldId): Result<Change[]> {
  const { field: old } = fieldOf(model, id);
  const target = ownTarget(model, old);
  if (!target.ok) return target;
  return replaced(model, table, old, { kind: 'text' }, (to) => ({ do: 'copyValues', table, from: id, to }), null);
}

/**
 * A link to one becomes a link to many, or the other way round; of several records none is chosen, they are set aside.
 */
export function changesLinkManyness(model: Model, table: TableId, id: FieldId, many: boolean): Result<Change[]> {
  const { field: old } = fieldOf(model, id);
  const target = ownTarget(model, old);
  if (!target.ok) return target;
  const link = isToMany(old) ? fieldOf(model, typeAs(old, 'counterpart').over ?? '').field : old;
  const other = fieldOf(model, typeAs(link, 'link').counterpart).field;
  return replaced(
    model,
    table,
    old,
    { kind: 'link', to: target.value.id, many, counterpart: { label: other.label } },
    (to) => ({ do: 'copyValues', table, from: id, to }),
    null,
  );
}

/** An option field becomes a link to a new table of its options. */
export function changesOptionsToTable(model: Model, table: TableId, id: FieldId, label: string): Result<Change[]> {
  const { field: old } = fieldOf(model, id);
  if (old.type.kind !== 'option' && old.type.kind !== 'options') return bad(`“${old.label}” has no options.`);
  const title = plain('Name', 'name', { kind: 'text' }, { required: true, unique: true });
  const made: Table = {
    id: newId('t'),
    key: newTableKey(model, label),
    label,
    description: `Was the list of ${tableOf(model, table).label}.${old.label}`,
    dye: dyes[model.tables.length % dyes.length] as Dye,
    title: title.id,
    fields: withSystemFields([title]),
  };
  const add: Change = { do: 'addTable', table: made, at: model.tables.filter(({ home }) => home === undefined).length };
  const stands = applyChange(model, add);
  if (!stands.ok) return stands;
  const link = changesTextToLink(stands.value, table, id, {
    to: made.id,
    match: title.id,
    missing: 'create',
    many: old.type.kind === 'options',
  });
  return link.ok ? good([add, ...link.value]) : link;
}

type NewType =
  | { readonly kind: 'text' }
  | {
      readonly kind: 'link';
      readonly to: TableId;
      readonly many: boolean;
      readonly counterpart?: LinkWish['counterpart'];
    };

/**
 * The changes that put a field of another type in an old one's place: the new one under a name of its own, its values
 * copied, what used the old one turned to it, the old one to the bin, and its names to the new one.
 */
function replaced(
  model: Model,
  table: TableId,
  old: Field,
  type: NewType,
  copy: (to: FieldId) => CopyValues,
  through: string | null,
): Result<Change[]> {
  const owner = tableOf(model, table);
  const at = owner.fields.indexOf(old);
  const { id: _, type: __, key, label, required, unique, default: ___, ...rest } = old;
  const names = {
    label: freeLabel(
      `${label} (new)`,
      owner.fields.map((field) => field.label),
    ),
    key: newFieldKey(owner.fields, `${key} new`),
  };
  const settings = { ...rest, ...names, required: false, unique: false } as const;
  const added =
    type.kind === 'link'
      ? changesToAddLink(model, {
          table,
          at,
          to: type.to,
          field: settings,
          onDelete: 'prevent',
          many: type.many,
          counterpart: otherName(model, old, type.counterpart),
        })
      : { field: newId('f'), changes: [] as Change[] };
  const changes: Change[] =
    type.kind === 'text'
      ? [{ do: 'addField', table, at, field: { ...settings, id: added.field, type: { kind: 'text' } } }]
      : [...added.changes];
  changes.push(copy(added.field));
  const stands = applyChanges(model, changes);
  if (!stands.ok) return stands;
  for (const user of dependentsOf(model, old.id)) {
    const turned = turnedUser(
      model,
      stands.value.model,
      user,
      old,
      through === null ? names.key : `${names.key}.${through}`,
    );
    if (!turned.ok) return turned;
    changes.push(...turned.value);
  }
  changes.push(
    ...partsThatFollow(
      model,
      stands.value.model,
      owner,
      old,
      added.field,
      through === null ? names.key : `${names.key}.${through}`,
    ),
  );
  if (owner.title === old.id)
    changes.push({ do: 'changeTable', table, set: { title: type.kind === 'text' || !type.many ? added.field : null } });
  changes.push(...changesToRemoveField(model, old, table));
  const kept =
    type.kind === 'link' && type.many ? {} : { ...(required ? { required } : {}), ...(unique ? { unique } : {}) };
  changes.push({ do: 'changeField', table, field: added.field, set: { label, key, ...kept } });
  if (isToMany(old) || old.type.kind === 'link') changes.push(...otherSideNames(model, old, added.field, changes));
  return good(changes);
}

/** While both stand, the new counterpart cannot have the old one's names. */
function otherName(model: Model, old: Field, wished: LinkWish['counterpart']): LinkWish['counterpart'] {
  if (old.type.kind !== 'link' && !isToMany(old)) return wished;
  const target = linkedTable(model, old)?.table;
  return wished?.label && target
    ? {
        label: freeLabel(
          `${wished.label} (new)`,
          target.fields.map(({ label }) => label),
        ),
      }
    : wished;
}

/** Gives the new other side of a link the names of the old one. */
function otherSideNames(model: Model, old: Field, added: FieldId, changes: readonly Change[]): Change[] {
  const after = applyChanges(model, changes);
  if (!after.ok) return [];
  const now = after.value.model.tables.flatMap(({ fields }) => fields).find(({ id }) => id === added);
  const otherOf = (within: Model, field: Field) => {
    const link = isToMany(field) ? fieldOf(within, typeAs(field, 'counterpart').over ?? '').field : field;
    return link.type.kind === 'link' ? fieldOf(within, link.type.counterpart) : null;
  };
  const [before, made] = [otherOf(model, old), now && otherOf(after.value.model, now)];
  return before && made
    ? [
        {
          do: 'changeField',
          table: made.table.id,
          field: made.field.id,
          set: { label: before.field.label, key: before.field.key },
        },
      ]
    : [];
}
