import { good, type Result } from '../problem';
import { applyAddField, invertAddField } from './changes/addField';
import type { RemoveField, Change } from '../types/change';
import { applyAddForm, invertAddForm } from './changes/addForm';
import { applyAddRule, invertAddRule } from './changes/addRule';
import { applyAddTable, invertAddTable } from './changes/addTable';
import { applyAddView, invertAddView } from './changes/addView';
import { applyChangeField, invertChangeField } from './changes/changeField';
import { applyChangeForm, invertChangeForm } from './changes/changeForm';
import { applyChangeTable, invertChangeTable } from './changes/changeTable';
import { applyChangeView, invertChangeView } from './changes/changeView';
import { applyCopyValues } from './changes/copyValues';
import { applyMoveField, invertMoveField } from './changes/moveField';
import { applyRemoveField, invertRemoveField } from './changes/removeField';
import { applyRemoveForm, invertRemoveForm } from './changes/removeForm';
import { applyRemoveRule, invertRemoveRule } from './changes/removeRule';
import { applyRemoveTable, invertRemoveTable } from './changes/removeTable';
import { applyRemoveView, invertRemoveView } from './changes/removeView';
import { fieldOf, tableOf } from './model';
import type { Model } from '../types/model';
import type { TypeOf } from '../types/field';

/** The model after the change, or why it cannot be made. */
export function applyChange(model: Model, change: Change): Result<Model> {
  switch (change.do) {
    case 'addTable':
      return applyAddTable(model, change);
    case 'changeTable':
      return applyChangeTable(model, change);
    case 'removeTable':
      return applyRemoveTable(model, change);
    case 'addField':
      return applyAddField(model, change);
    case 'changeField':
      return applyChangeField(model, change);
    case 'removeField':
      return applyRemoveField(model, change);
    case 'moveField':
      return applyMoveField(model, change);
    case 'addRule':
      return applyAddRule(model, change);
    case 'removeRule':
      return applyRemoveRule(model, change);
    case 'addView':
      return applyAddView(model, change);
    case 'changeView':
      return applyChangeView(model, change);
    case 'removeView':
      return applyRemoveView(model, change);
    case 'addForm':
      return applyAddForm(model, change);
    case 'changeForm':
      return applyChangeForm(model, change);
    case 'removeForm':
      return applyRemoveForm(model, change);
    case 'copyValues':
      return applyCopyValues(model, change);
  }
}

/** The change that takes this one back. `model` is the model before it. */
export function invertChange(model: Model, change: Change): Change[] {
  switch (change.do) {
    case 'addTable':
      return [invertAddTable(model, change)];
    case 'changeTable':
      return [invertChangeTable(model, change)];
    case 'removeTable':
      return [invertRemoveTable(model, change)];
    case 'addField':
      return [invertAddField(model, change)];
    case 'changeField':
      return [invertChangeField(model, change)];
    case 'removeField':
      return [invertRemoveField(model, change), ...titleAgain(model, change)];
    case 'moveField':
      return [invertMoveField(model, change)];
    case 'addRule':
      return [invertAddRule(model, change)];
    case 'removeRule':
      return [invertRemoveRule(model, change)];
    case 'addView':
      return [invertAddView(model, change)];
    case 'changeView':
      return [invertChangeView(model, change)];
    case 'removeView':
      return [invertRemoveView(model, change)];
    case 'addForm':
      return [invertAddForm(model, change)];
    case 'changeForm':
      return [invertChangeForm(model, change)];
    case 'removeForm':
      return [invertRemoveForm(model, change)];
    // The field that was filled goes with the change that made it.
    case 'copyValues':
      return [];
  }
}

/** A title field that comes back from the bin becomes the title again. */
function titleAgain(model: Model, change: RemoveField): Change[] {
  const table = tableOf(model, change.table);
  return table.title === change.field ? [{ do: 'changeTable', table: table.id, set: { title: change.field } }] : [];
}

/** Applies changes in order; stops at the first that cannot be made and says which (`at` is `/changes/N`). */
export function applyChanges(model: Model, changes: readonly Change[]): Result<{ model: Model; inverse: Change[] }> {
  let current = model;
  let inverse: Change[] = [];
  for (const [index, change] of changes.entries()) {
    const next = applyChange(current, change);
    if (!next.ok) return { ok: false, problem: { ...next.problem, at: `/changes/${index}` } };
    inverse = [...invertChange(current, change), ...inverse];
    current = next.value;
  }
  return good({ model: current, inverse });
}

/**
 * The changes that put a table in the bin: first what it calculates, its own and the incoming links, then the table.
 */
export function changesToRemoveTable(model: Model, id: string): Change[] {
  const table = tableOf(model, id);
  const formulas = table.fields.filter(({ type }) => type.kind === 'formula').toReversed();
  const rules = table.rules ?? [];
  const pairs = table.fields.flatMap(({ type }) =>
    type.kind === 'counterpart' && type.over !== undefined ? [type.from] : [],
  );
  const outward = table.fields.filter(({ type }) => type.kind === 'link');
  const inward = table.fields
    .filter(({ type }) => type.kind === 'counterpart' && type.over === undefined)
    .map(({ type }) => fieldOf(model, (type as TypeOf<'counterpart'>).link))
    .filter(({ table: from }) => from.id !== id);
  return [
    ...formulas.map((field) => ({ do: 'removeField', table: id, field: field.id }) as const),
    ...rules.map((rule) => ({ do: 'removeRule', table: id, rule: rule.id }) as const),
    ...[...new Set(pairs)].flatMap((one) => changesToRemoveTable(model, one)),
    ...outward.map((field) => ({ do: 'removeField', table: id, field: field.id }) as const),
    ...inward.map(({ field, table: from }) => ({ do: 'removeField', table: from.id, field: field.id }) as const),
    { do: 'removeTable', table: id },
  ];
}
