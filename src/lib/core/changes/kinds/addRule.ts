import { conditionMissing, dependsOnViewer } from '../../flow/dependencies';
import { bad, good, type Result } from '../../base/problem';
import type { TableId } from '../../types/identity';
import { findTable, tableOf } from '../../model/model';
import type { Model, TableRule } from '../../types/model';
import { replaceTable } from '../../model/replace';
import type { RemoveRule, AddRule } from '../../types/change';
import type { ChangeDescriptor } from './descriptor';

function applyAddRule(model: Model, { table: id, rule, at }: AddRule): Result<Model> {
  const table = findTable(model, id);
  if (!table) return bad('There is no such table.');
  const rules = table.rules ?? [];
  if (rules.some((other) => other.id === rule.id)) return bad('This rule exists already.');
  if (rule.message.trim() === '') return bad('The rule has no message.', 'Write what people read when it is broken.');
  if (rule.kind === 'holds' && conditionMissing(model, rule.condition))
    return bad('The rule uses a field that is not there.', 'Write it again.');
  if (rule.kind === 'holds' && dependsOnViewer(rule.condition))
    return bad('A rule holds for everybody alike, so it cannot ask who looks by person().', 'Limit a role instead.');
  if (rule.kind === 'unique') {
    const fields = rule.fields.map((field) => table.fields.find((one) => one.id === field));
    const calculated = fields.find(
      (field) => !field || ['counterpart', 'files', 'pictures', 'place'].includes(field.type.kind),
    );
    if (fields.length === 0 || fields.includes(undefined) || calculated)
      return bad(
        'Only fields with single values of this table can be unique together.',
        'Choose two or three of them.',
      );
  }
  return good(replaceTable(model, { ...table, rules: rules.toSpliced(at, 0, rule) }));
}

const invertAddRule = (_: Model, { table, rule }: AddRule): RemoveRule => ({
  do: 'removeRule',
  table,
  rule: rule.id,
});

/** A rule of a table; a missing one is a fault of the caller. */
export function ruleOf(model: Model, table: TableId, id: string): TableRule {
  const found = tableOf(model, table).rules?.find((rule) => rule.id === id);
  if (!found) throw new Error(`no rule ${id} in the model`);
  return found;
}

export const addRule: ChangeDescriptor<AddRule> = {
  apply: applyAddRule,
  invert: (model, change) => [invertAddRule(model, change)],
  subjects: ({ rule }) => [rule.id],
  words: ({ table, rule }, names) => `${names.table(table)}: new rule “${rule.message}”`,
};
