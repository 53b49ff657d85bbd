import { bad, good, type Result } from '../../base/problem';
import { typeWord } from '../../types/expression';
import { conditionMissing, dependenciesOf, dependsOnViewer } from '../../flow/dependencies';
import { candidateCycle } from '../../parts/dependents';
import { cycleThrough } from '../../flow/graph';
import { backAndForth, hierarchyPaths } from '../../flow/hierarchy';
import { fieldOf, findField, findTable, tableOf } from '../../model/model';
import { heldUp } from '../../flow/feeds';
import type { Model, Table } from '../../types/model';
import type { Field } from '../../types/field';
import { checkFieldType } from '../../model/wellMade';
import { checkFields } from '../../model/names/naming';
import { replaceTable } from '../../model/replace';
import type { RemoveField, AddField } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyAddField(model: Model, change: AddField): Result<Model> {
  const table = findTable(model, change.table);
  if (!table) return bad('There is no such table.');
  if (findField(model, change.field.id)) return bad('This field exists already.');
  const wellMade = checkType(model, change);
  if (!wellMade.ok) return wellMade;
  let changed = replaceTable(model, { ...table, fields: table.fields.toSpliced(change.at, 0, change.field) });
  if (change.counterpart && change.field.type.kind === 'link') {
    const target = tableOf(changed, change.field.type.to);
    const { field, at } = change.counterpart;
    changed = replaceTable(changed, { ...target, fields: target.fields.toSpliced(at, 0, field) });
    const named = checkFields(tableOf(changed, target.id).fields);
    if (!named.ok) return named;
  }
  const named = checkFields(tableOf(changed, table.id).fields);
  if (!named.ok) return named;
  const fed = checkFed(tableOf(changed, table.id));
  return fed.ok ? checkWritten(changed, change.field) : fed;
}

/** Records of a feed come by themselves, so nothing of them can be required. */
export function checkFed(table: Table): Result<true> {
  const required = heldUp(table);
  return required
    ? bad(`“${required.label}” cannot be required: records of a feed come by themselves.`, 'Let it be blank.')
    : good(true);
}

/** What a field has written in the formula language uses what is there, and nothing comes from itself. */
export function checkWritten(model: Model, field: Field): Result<Model> {
  const { type } = field;
  if (field.default?.kind === 'formula' && conditionMissing(model, field.default.formula))
    return bad(`The default of “${field.label}” uses a field that is not there.`, 'Write it again.');
  if (type.kind === 'link' && type.candidates) {
    if (conditionMissing(model, type.candidates))
      return bad(`The candidates of “${field.label}” use a field that is not there.`, 'Write the limit again.');
    const cycle = candidateCycle(model, field);
    if (cycle)
      return bad(
        `The candidates of these fields wait for each other: ${cycle.join(' ← ')}.`,
        'Let one of them be chosen freely.',
      );
  }
  if (type.kind !== 'formula') return good(model);
  if (dependsOnViewer(type.formula))
    return bad(
      `“${field.label}” would be another for everybody who looks, by person().`,
      'Use person() in the filter of a view, or in a role.',
    );
  if (dependenciesOf(model, type.formula).missing)
    return bad(`The formula of “${field.label}” uses a field that is not there.`, 'Write it again.');
  const result = checkResult(field.label, type.result.is);
  return result.ok ? acyclic(model, field) : result;
}

/**
 * A calculated field may come from itself by no path: the refusal names the path. Only over a hierarchy, from record to
 * record of its own table, may it read itself, and all the way in one direction.
 */
function acyclic(model: Model, field: Field): Result<Model> {
  const cycle = cycleThrough(model, field.id);
  if (cycle) {
    const path = cycle.map((id) => fieldOf(model, id)).map((one) => `${one.table.label}.${one.field.label}`);
    return bad(
      `“${field.label}” would be calculated from itself: ${path.join(' ← ')}.`,
      'Take one of these fields out of the formula.',
      undefined,
      cycle,
    );
  }
  const back = backAndForth(model, hierarchyPaths(model, field));
  return back
    ? bad(
        `“${field.label}” reads itself both ways along “${back.label}”, so each record would come from itself.`,
        'Let it follow the link in one direction.',
      )
    : good(model);
}

function checkType(model: Model, { field, counterpart, table }: AddField): Result<true> {
  const type = field.type;
  const wellMade = checkFieldType(field);
  if (!wellMade.ok) return wellMade;
  if (type.kind === 'counterpart')
    return bad(`“${field.label}” is a reverse link.`, 'Add the link on the other table.');
  if (type.kind !== 'link') return good(true);
  const target = findTable(model, type.to);
  if (!target) return bad(`“${field.label}” points at a table that is not there.`, 'Choose another table.');
  const other = counterpart?.field.type;
  if (!counterpart || other?.kind !== 'counterpart' || counterpart.field.id !== type.counterpart)
    return bad(`“${field.label}” has no counterpart on ${target.label}.`, 'Give the reverse link a label.');
  return other.from === table && other.link === field.id
    ? good(true)
    : bad(`The counterpart of “${field.label}” belongs to another link.`);
}

/** Only single values can be stored; a formula that gives a record says which of its fields is wanted. */
function checkResult(label: string, is: Parameters<typeof typeWord>[0]['is']): Result<true> {
  if (!['records', 'record', 'interval', 'blank'].includes(is)) return good(true);
  return bad(
    `The formula of “${label}” gives a ${is === 'records' ? 'set of records' : is}, which no field can hold.`,
    'Take one field of it, for example its title, or put it inside count().',
  );
}

/** Puts a field that stood before back, or takes a new one away. */
const invertAddField = (_: Model, change: AddField): RemoveField => ({
  do: 'removeField',
  table: change.table,
  field: change.field.id,
});

export const addField: ChangeDescriptor<AddField> = {
  apply: applyAddField,
  invert: (model, change) => [invertAddField(model, change)],
  subjects: ({ field, counterpart }) => [field.id, ...(counterpart ? [counterpart.field.id] : [])],
  words: ({ table, field }, names) => `new field ${names.table(table)}.${field.label}`,
};
