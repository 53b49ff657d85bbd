import Joi from 'joi';
import { changesToRemoveTable } from '$core/changes/change';
import { icons } from '$core/types/icons';
import { newId } from '$core/types/identity';
import { ownTables, tableOf } from '$core/model/model';
import { newTableKey } from '$core/model/names/naming';
import { withSystemFields } from '$core/model/systemFields';
import type { Change } from '$core/types/change';
import { dyes, type Dye, type Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { fieldSchema, newField, type FieldJson } from '../../structure/fieldJson';
import { refuse } from '../../base/refusal';
import { addField } from './fields';
import { known, tableIn, type OfTable, type Sending, type SentChange } from './sent';

const label = Joi.string().trim().max(120);
export const tableMembers = {
  label,
  key: Joi.string(),
  description: Joi.string().allow('').max(2000),
  dye: Joi.string().valid(...dyes),
  icon: Joi.string()
    .valid(...icons)
    .allow(null),
  title: Joi.string().allow(null),
  private: Joi.boolean().description('only whoever makes it sees it, until they share it'),
};
const table = Joi.string().required();

export type TableSettings = Partial<Pick<Table, 'key' | 'label' | 'description' | 'dye' | 'icon' | 'title'>> & {
  readonly private?: boolean;
};
type AddTableJson = { readonly label: string; readonly fields: readonly FieldJson[] } & TableSettings;

const emptyTable: Table = { id: '', key: '', label: '', description: '', dye: 'woad', title: null, fields: [] };

/** What a new table's records are called by, unless it is said: a name, else the first text, else what stands first. */
const titleAmong = (fields: readonly Field[]): Field | undefined => {
  const texts = fields.filter(({ type }) => type.kind === 'text');
  return texts.find(({ key }) => key === 'name' || key === 'title') ?? texts[0] ?? fields[0];
};

/** Whoever makes it; what nobody in particular makes is private to nobody. */
function makerOf({ maker, at }: Sending): number {
  if (maker === undefined) throw refuse(422, 'A private table is somebody’s.', 'Leave `private` out.', `${at}/private`);
  return maker;
}

function* addTable(json: AddTableJson, sending: Sending): Generator<Change> {
  const { model } = sending;
  const isLater = ({ type, default: preset }: FieldJson) =>
    type === 'link' || type === 'formula' || (typeof preset === 'object' && preset !== null && 'formula' in preset);
  const fields: Field[] = [];
  for (const field of json.fields)
    if (!isLater(field)) fields.push(newField(model(), { ...emptyTable, fields }, field));
  const table: Table = {
    id: newId('t'),
    key: json.key ?? newTableKey(model(), json.label, sending.taken),
    label: json.label,
    ...(json.private ? { privateTo: makerOf(sending) } : {}),
    description: json.description ?? '',
    dye: json.dye ?? (dyes[ownTables(model()).length % dyes.length] as Dye),
    ...(json.icon ? { icon: json.icon } : {}),
    title:
      json.title === null
        ? null
        : ((json.title === undefined ? titleAmong(fields) : fields.find(({ key }) => key === json.title))?.id ?? null),
    fields: withSystemFields(fields),
  };
  yield { do: 'addTable', table, at: model().tables.filter(({ home }) => home === undefined).length };
  // Each stands where it was written: all that was written before it is there by then.
  for (const [place, field] of json.fields.entries())
    if (isLater(field)) yield* addField(tableOf(model(), table.id), field, place, sending);
}

/** Changes of whole tables. */
export const tableChanges = {
  addTable: {
    members: { ...tableMembers, label: label.required(), fields: Joi.array().items(fieldSchema).default([]) },
    expand: addTable,
  } satisfies SentChange<AddTableJson>,

  changeTable: {
    members: { table, set: Joi.object(tableMembers).min(1).required() },
    *expand(json, sending) {
      const owner = tableIn(json, sending);
      const { title, private: isPrivate, ...set } = json.set;
      if (isPrivate && owner.privateTo === undefined)
        throw refuse(
          422,
          `${owner.label} is shared, and others may work with it.`,
          'Copy it as a private table.',
          `${sending.at}/set/private`,
        );
      yield {
        do: 'changeTable',
        table: owner.id,
        set: {
          ...set,
          ...(title === undefined ? {} : { title: title === null ? null : known(owner, title, sending.at).id }),
          ...(isPrivate === false ? { privateTo: null } : {}),
        },
      };
    },
  } satisfies SentChange<OfTable & { readonly set: TableSettings }>,

  removeTable: {
    members: { table },
    expand: (json, sending) => changesToRemoveTable(sending.model(), tableIn(json, sending).id),
  } satisfies SentChange<OfTable>,
};
