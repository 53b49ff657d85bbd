import { printFormula } from '$core/formula/printer';
import { isStored } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';

/** What is said of a table and its columns, for those who read the database itself. */
interface Comments {
  readonly table: string;
  readonly columns: ReadonlyMap<string, string>;
}

/** The label and the description of a table, and what is said of each column that it has. */
export const commentsOf = (model: Model, table: Table): Comments => ({
  table: tableComment(table),
  columns: new Map(table.fields.filter(isStored).map((field) => [field.key, fieldComment(model, field)])),
});

export const tableComment = ({ label, description }: Table): string => [label, description].filter(Boolean).join(': ');

/** The label, the formula and the help of a field. */
export function fieldComment(model: Model, { label, help, type, veiled }: Field): string {
  const formula = type.kind === 'formula' && !veiled ? ` = ${printFormula(model, type.formula)}` : '';
  return [label + formula, help].filter(Boolean).join('. ');
}
