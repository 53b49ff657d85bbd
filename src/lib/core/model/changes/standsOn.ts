import type { Change } from '../../types/change';
import type { TableId } from '../identity';

const tableOfChange = (change: Change): TableId => (change.do === 'addTable' ? change.table.id : change.table);

/** What a change is about within its table, by identity: fields, rules, views, forms. */
function subjectsOf(change: Change): readonly string[] {
  switch (change.do) {
    case 'addField':
      return [change.field.id, ...(change.counterpart ? [change.counterpart.field.id] : [])];
    case 'changeField':
    case 'removeField':
      return [change.field];
    case 'addRule':
      return [change.rule.id];
    case 'removeRule':
      return [change.rule];
    case 'addView':
    case 'changeView':
      return [change.view.id];
    case 'removeView':
      return [change.view];
    case 'addForm':
    case 'changeForm':
      return [change.form.id];
    case 'removeForm':
      return [change.form];
    case 'changeTable':
      return Object.keys(change.set).map((name) => `${change.table} ${name}`);
    case 'copyValues':
      return [change.to];
    case 'addTable':
    case 'removeTable':
    case 'moveField':
      return [];
  }
}

/**
 * Whether a later change stands on an earlier one, so that undoing the earlier by itself would undo the later in part,
 * or leave it without what it is about. Places in an order never matter.
 */
export function standsOn(later: Change, earlier: Change): boolean {
  if (later.do === 'moveField' || earlier.do === 'moveField') return false;
  if (earlier.do === 'addTable' || earlier.do === 'removeTable' || later.do === 'removeTable')
    return tableOfChange(later) === tableOfChange(earlier);
  const about = new Set(subjectsOf(earlier));
  if (!subjectsOf(later).some((subject) => about.has(subject))) return false;
  if (earlier.do !== 'changeField' || later.do !== 'changeField') return true;
  return Object.keys(later.set).some((name) => name in earlier.set);
}
