import type { AddField, Change } from '$core/types/change';
import { newId } from '$core/types/identity';
import type { Table } from '$core/types/model';
import type { DeletionRule, Field, FieldType } from '$core/types/field';
import { checkOwnFormula } from '$core/flow/ownFormula';
import type { WorkspaceAccess } from '$server/access/workspaceAccess';
import type { Pool } from '$server/database/pool';
import { applyPlan, makePlan } from '$server/structure/plan';

export const plainField = (key: string, type: FieldType, rules: Partial<Field> = {}): Field => ({
  id: newId('f'),
  key,
  label: key.replaceAll('_', ' '),
  help: '',
  required: false,
  unique: false,
  type,
  ...rules,
});

export const plainTable = (key: string, fields: readonly Field[], title?: Field): Table => ({
  id: newId('t'),
  key,
  label: key,
  description: '',
  dye: 'woad',
  title: title?.id ?? fields[0]?.id ?? null,
  fields,
});

export function linkField(
  from: Table,
  to: Table,
  key: string,
  counterpartKey: string,
  onDelete: DeletionRule = 'prevent',
): AddField {
  const link = newId('f');
  const counterpart = newId('f');
  return {
    do: 'addField',
    table: from.id,
    at: from.fields.length,
    field: { ...plainField(key, { kind: 'link', to: to.id, onDelete, counterpart }), id: link },
    counterpart: {
      at: to.fields.length,
      field: { ...plainField(counterpartKey, { kind: 'counterpart', from: from.id, link }), id: counterpart },
    },
  };
}

/** A formula field, checked against the model as it is now. */
export function formulaField(access: WorkspaceAccess, table: Table, key: string, text: string): AddField {
  const own = { id: newId('f'), key, label: key.replaceAll('_', ' ') };
  const { expression, problems } = checkOwnFormula(access.workspace.model, table.id, own, text);
  if (!expression) throw new Error(`${text}: ${problems.map(({ message }) => message).join(' ')}`);
  return {
    do: 'addField',
    table: table.id,
    at: 0,
    field: { ...plainField(key, { kind: 'formula', formula: expression, result: expression.type }), ...own },
  };
}

/** Plans the changes, expects the plan to be possible, and applies it. */
export async function changeNow(pool: Pool, access: WorkspaceAccess, changes: readonly Change[]): Promise<number> {
  const plan = await makePlan(pool, access, changes);
  if (!plan.possible) throw new Error(JSON.stringify(plan.effects.flatMap(({ breaks }) => breaks)));
  return (await applyPlan(pool, access, plan.id)).batch;
}
