import { good, type Result } from '../base/problem';
import { tableKey, type Written } from '../filled/written';
import { checkCondition } from '../formula/checker';
import { printFormula } from '../formula/printer';
import { tableOf } from '../model/model';
import type { Model, Table } from '../types/model';
import type { TakenRecords } from '../types/transfer';

/** `where` and `records`, as programs write them. */
export function readTaken(model: Model, table: Table, json: Written): Result<TakenRecords> {
  const text = typeof json.where === 'string' ? json.where.trim() : '';
  const records = Array.isArray(json.records) ? (json.records as number[]) : null;
  if (text === '') return good({ table: table.id, where: null, records });
  const { expression, problems } = checkCondition(model, table.id, text);
  const [problem] = problems;
  return expression
    ? good({ table: table.id, where: expression, records })
    : { ok: false, problem: { ...(problem ?? { message: 'This is no condition.' }), at: '/where' } };
}

export const printTaken = (model: Model, { table, where, records }: TakenRecords): Written => ({
  table: tableKey(tableOf(model, table)),
  where: where ? printFormula(model, where) : '',
  records,
});
