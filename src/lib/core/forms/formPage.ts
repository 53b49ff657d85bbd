import type { TableId } from '../types/identity';
import { fieldOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { Field, FieldType } from '../types/field';
import { formType } from './entry';
import { fieldItems, standingForm } from './form';
import type { Form } from '../types/form';

/** A form with as much of the model as filling it in needs, and nothing else: what an outsider's page gets. */
export interface FormPage {
  readonly form: Form;
  readonly model: Model;
  readonly table: Table;
}

/** A table of which nothing is told but that it is there. */
const bareTable = (id: TableId, fields: readonly Field[]): Table => ({
  id,
  key: '',
  label: '',
  description: '',
  dye: 'slate',
  title: null,
  fields,
});

/** The type without what only the workspace needs to know: which records a link offers is decided at the server. */
function bareType(field: Field): FieldType {
  if (field.type.kind !== 'link') return formType(field);
  const { candidates: _, shows: __, ...type } = field.type;
  return type;
}

/**
 * The page of a form for outsiders. Its model has one table with the fields that are shown, under the words of the
 * form; hidden fields and their values, limits, notes and everything else of the workspace stay at the server.
 */
export function formPage(model: Model, table: Table, form: Form): FormPage {
  const standing = standingForm(model, table, form);
  const shown = new Map(fieldItems(standing).flatMap((item) => (item.hidden ? [] : [[item.field, item]])));
  const fields = table.fields.flatMap((field): Field[] => {
    const item = shown.get(field.id);
    if (!item) return [];
    const { id, key, example, default: preset } = field;
    const placeholder = item.placeholder ?? field.placeholder;
    return [
      {
        id,
        key,
        label: item.label ?? field.label,
        help: item.help ?? field.help,
        required: item.required ?? (field.required !== false && !preset),
        unique: false,
        type: bareType(field),
        ...(placeholder ? { placeholder } : {}),
        ...(example ? { example } : {}),
        // How a formula comes to its value is nobody's outside.
        ...(preset?.kind === 'value' || preset?.kind === 'today' ? { default: preset } : {}),
      },
    ];
  });
  const own = bareTable(table.id, fields);
  const others = fields.flatMap(({ type }): Table[] => {
    if (type.kind === 'link') return [bareTable(type.to, [])];
    if (type.kind !== 'counterpart' || type.over === undefined) return [];
    // A link to many is identified by its pairs and their link to the far side.
    const ends = [type.link, type.over].map((id) => fieldOf(model, id).field);
    const bare = (field: Field): Field => ({
      id: field.id,
      key: '',
      label: '',
      help: '',
      required: false,
      unique: false,
      type: bareType(field),
    });
    return [
      bareTable(type.from, ends.map(bare)),
      ...ends.flatMap((end) => (end.type.kind === 'link' ? [bareTable(end.type.to, [])] : [])),
    ];
  });
  const tables = [own, ...new Map(others.filter(({ id }) => id !== own.id).map((one) => [one.id, one])).values()];
  const page: Form = {
    ...standing,
    id: '',
    most: null,
    sections: standing.sections.map((section) => ({
      ...section,
      items: section.items.flatMap((item) => {
        if (item.kind === 'list' || item.hidden) return [];
        const { offers: _, ...rest } = item;
        return [rest];
      }),
    })),
  };
  return { form: page, model: { tables }, table: own };
}
