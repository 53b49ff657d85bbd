import { bad, good, type Result } from '../../problem';
import type { RuleId, TableId } from '../identity';
import { findTable, tableOf, type Model, type Table } from '../model';
import { replaceTable } from '../replace';
import { ruleOf, type AddRule } from './addRule';

/** Takes a rule away; records are not looked at. */
export interface RemoveRule {
  readonly do: 'removeRule';
  readonly table: TableId;
  readonly rule: RuleId;
}

export function applyRemoveRule(model: Model, change: RemoveRule): Result<Model> {
  const table = findTable(model, change.table);
  if (!table?.rules?.some(({ id }) => id === change.rule)) return bad('There is no such rule.');
  const { rules: before = [], ...rest } = table;
  const rules = before.filter(({ id }) => id !== change.rule);
  const changed: Table = rules.length > 0 ? { ...rest, rules } : rest;
  return good(replaceTable(model, changed));
}

export const invertRemoveRule = (model: Model, { table, rule }: RemoveRule): AddRule => ({
  do: 'addRule',
  table,
  rule: ruleOf(model, table, rule),
  at: tableOf(model, table).rules?.findIndex(({ id }) => id === rule) ?? 0,
});
