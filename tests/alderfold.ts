import type { Change } from '../src/lib/core/types/change';
import { applyChanges } from '../src/lib/core/changes/change';
import { checkFormula } from '../src/lib/core/formula/checker';
import { emptyModel, tableNamed } from '../src/lib/core/model/model';
import type { Model, Table } from '../src/lib/core/types/model';
import type { DeletionRule, Field, FieldType } from '../src/lib/core/types/field';

const field = (id: string, label: string, type: FieldType, rules: Partial<Field> = {}): Field => ({
  id: `f_${id}`,
  key: label.toLowerCase().replaceAll(' ', '_'),
  label,
  help: '',
  required: false,
  unique: false,
  type,
  ...rules,
});

const table = (id: string, label: string, fields: readonly Field[]): Table => ({
  id: `t_${id}`,
  key: label.toLowerCase(),
  label,
  description: '',
  dye: 'woad',
  title: fields[0]?.id ?? null,
  fields,
});

const link = (from: string, label: string, to: string, other: string, onDelete: DeletionRule = 'prevent'): Change => ({
  do: 'addField',
  table: `t_${from}`,
  at: 1,
  field: field(`${from}_${to}`, label, { kind: 'link', to: `t_${to}`, onDelete, counterpart: `f_${to}_${from}` }),
  counterpart: {
    at: 1,
    field: field(`${to}_${from}`, other, { kind: 'counterpart', from: `t_${from}`, link: `f_${from}_${to}` }),
  },
});

/** A small model of the cooperative with fixed identities, for tests of the core. */
export function alderfold(): Model {
  const changes: Change[] = [
    { do: 'addTable', at: 0, table: table('keeper', 'Keepers', [field('name', 'Name', { kind: 'text' })]) },
    { do: 'addTable', at: 1, table: table('apiary', 'Apiaries', [field('a_name', 'Name', { kind: 'text' })]) },
    {
      do: 'addTable',
      at: 2,
      table: table('hive', 'Hives', [
        field('number', 'Number', { kind: 'text' }, { unique: true }),
        field('weight', 'Weight', { kind: 'number', digits: null }),
        field('state', 'State', {
          kind: 'option',
          options: [
            { id: 'strong', label: 'strong', dye: 'moss' },
            { id: 'weak', label: 'weak', dye: 'rust' },
          ],
        }),
      ]),
    },
    {
      do: 'addTable',
      at: 3,
      table: table('inspection', 'Inspections', [
        field('day', 'Day', { kind: 'date' }),
        field('frames', 'Frames', { kind: 'number', digits: 0 }),
      ]),
    },
    link('hive', 'Apiary', 'apiary', 'Hives'),
    link('inspection', 'Hive', 'hive', 'Inspections', 'remove'),
    link('inspection', 'Keeper', 'keeper', 'Visits', 'clear'),
  ];
  const built = applyChanges(emptyModel, changes);
  if (!built.ok) throw new Error(built.problem.message);
  return withFormula(built.value.model, 'hives', 'Last inspected', 'max(inspections.day)');
}

/** The model with one more calculated field. */
export function withFormula(model: Model, tableKey: string, label: string, text: string): Model {
  const change = formulaChange(model, tableKey, label, text);
  const changed = applyChanges(model, [change]);
  if (!changed.ok) throw new Error(changed.problem.message);
  return changed.value.model;
}

export function formulaChange(model: Model, tableKey: string, label: string, text: string): Change {
  const owner = tableNamed(model, tableKey);
  if (!owner) throw new Error(`no table ${tableKey}`);
  const { expression, problems } = checkFormula(model, owner.id, text);
  if (!expression) throw new Error(problems[0]?.message);
  const added = field(`${tableKey}_${label.toLowerCase().replaceAll(' ', '_')}`, label, {
    kind: 'formula',
    formula: expression,
    result: expression.type,
  });
  return { do: 'addField', table: owner.id, at: owner.fields.length, field: added };
}
