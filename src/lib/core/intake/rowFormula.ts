import { checkFormula, type CheckedFormula } from '../formula/checker';
import { evaluate } from '../formula/evaluator';
import { partsOf, type Expression } from '../types/expression';
import { freeKey, keyFromLabel } from '../base/key';
import type { Model } from '../types/model';
import type { Field } from '../types/field';

/** The name by which a formula calls the text of its own column. */
const ownName = 'value';

const sheetTable = 'sheet';

const textField = (id: string, key: string, label: string): Field => ({
  id,
  key,
  label,
  help: '',
  required: false,
  unique: false,
  type: { kind: 'text' },
});

const asModel = (fields: readonly Field[]): Model => ({
  tables: [
    {
      id: sheetTable,
      key: sheetTable,
      label: 'This sheet',
      description: '',
      dye: 'slate',
      title: null,
      fields: [...fields],
    },
  ],
});

/**
 * The rows of a sheet as a table of texts: a field for each column, called by its name, and `value` for the column
 * itself. Field `c3` is column 3.
 */
export function rowModel(names: readonly string[], column: number): Model {
  const keys = new Set([ownName]);
  const fields = names.map((name, index) => {
    const key = freeKey(keyFromLabel(name, 'field'), keys);
    keys.add(key);
    return textField(`c${index}`, key, name);
  });
  return asModel([textField(`own${column}`, ownName, ownName), ...fields]);
}

export const rowTable = sheetTable;

/** The formula that puts the texts of other columns behind a column's own, with something between them; blanks fall out. */
export function joinedFormula(
  names: readonly string[],
  column: number,
  others: readonly number[],
  between: string,
): string {
  const fields = rowModel(names, column).tables[0]?.fields ?? [];
  const keys = others.flatMap((other) => fields.find(({ id }) => id === `c${other}`)?.key ?? []);
  return `textjoin('${between.replaceAll("'", "''")}', true, ${[ownName, ...keys].join(', ')})`;
}

/** Reads a formula over the texts of a row: what a column's texts are made into before they are read. */
export const checkRowFormula = (names: readonly string[], column: number, source: string): CheckedFormula =>
  checkFormula(rowModel(names, column), sheetTable, source);

/** A model in which the fields that a row's formula reads have the names of the staged columns, for compiling it. */
export function stagedModel(expression: Expression): Model {
  const ids = new Set([...partsOf(expression)].flatMap((part) => (part.do === 'field' ? [part.field] : [])));
  return asModel([...ids].map((id) => textField(id, id.replace('own', 'c'), id)));
}

/** What a formula makes of a row's texts, as a text that reads plainly: the twin of the SQL that a load uses. */
export function rowText(formula: Expression, texts: readonly (string | null)[]): string | null {
  const value = evaluate(formula, 0, {
    model: stagedModel(formula),
    records: { value: (_table, _id, field) => texts[Number(field.replace(/^\D+/, ''))] ?? null, linked: () => [] },
    today: new Date().toISOString().slice(0, 10),
    zone: 'UTC',
  });
  if (value === null) return null;
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  return String(value).trim() || null;
}
