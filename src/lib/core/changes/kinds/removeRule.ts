import { bad, good, type Result } from '../../base/problem';
import { findTable, tableOf } from '../../model/model';
import type { Model, Table } from '../../types/model';
import { replaceTable } from '../../model/replace';
import { ruleOf } from './addRule';
import type { AddRule, RemoveRule } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyRemoveRule(model: Model, change: RemoveRule): Result<Model> {
  const table = findTable(model, change.table);
  if (!table?.rules?.some(({ id }) => id === change.rule)) return bad('There is no such rule.');
  const { rules: before = [], ...rest } = table;
  const rules = before.filter(({ id }) => id !== change.rule);
  const changed: Table = rules.length > 0 ? { ...rest, rules } : rest;
  return good(replaceTable(model, changed));
}

const invertRemoveRule = (model: Model, { table, rule }: RemoveRule): AddRule => ({
  do: 'addRule',
  table,
  rule: ruleOf(model, table, rule),
  at: tableOf(model, table).rules?.findIndex(({ id }) => id === rule) ?? 0,
});

export const removeRule: ChangeDescriptor<RemoveRule> = {
  apply: applyRemoveRule,
  invert: (model, change) => [invertRemoveRule(model, change)],
  subjects: ({ rule }) => [rule],
  words: ({ table }, names) => `${names.table(table)}: a rule removed`,
};
