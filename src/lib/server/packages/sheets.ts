import { isStored, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import type { FieldId, TableId } from '$core/types/identity';
import type { Model, Table } from '$core/types/model';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { recordColumn } from '../export/csv';
import { valueFromTextSql, valueTextSql } from '../sql/column';

/** A column of a sheet, and the field whose values it holds. */
interface SheetColumn {
  readonly name: string;
  readonly field: Field;
}

/**
 * A table as a package holds its records: what was entered, by keys, who made and changed them, and when. What is
 * calculated stands beside it for whoever reads the file: where it is brought in it is worked out anew, and mostly found
 * to be so already.
 */
export interface Sheet {
  /** The name of its resource. */
  readonly name: string;
  /** The key of its workspace in the package. */
  readonly home: string;
  readonly table: Table;
  /** What people call it. */
  readonly title: string;
  readonly columns: readonly SheetColumn[];
}

/** Where a link to many is seen from first, with the two links of its pairs. */
interface Side {
  readonly table: Table;
  readonly field: Field;
  readonly ends: readonly FieldId[];
}

function pairSides(tables: readonly Table[]): ReadonlyMap<TableId, Side> {
  const sides = new Map<TableId, Side>();
  for (const table of tables)
    for (const field of table.fields) {
      const { type } = field;
      if (type.kind === 'counterpart' && type.over !== undefined && !sides.has(type.from))
        sides.set(type.from, { table, field, ends: [type.link, type.over] });
    }
  return sides;
}

/**
 * The records of all tables of a model as sheets: those of each workspace in their order, then the pairs of links to
 * many. `keyOf`: the key that a workspace has in the package.
 */
export function sheetsOf(model: Model, keyOf: (home: string | undefined) => string): Sheet[] {
  const order = compared(({ home }: Table) => keyOf(home));
  const tables = model.tables.filter(({ pairs }) => !pairs).toSorted(order);
  const sides = pairSides(tables);
  return [
    ...tables.map((table): Sheet => ({
      name: `${keyOf(table.home)}.${table.key}`,
      home: keyOf(table.home),
      table,
      title: table.label,
      columns: table.fields.filter(isStored).map((field) => ({ name: field.key, field })),
    })),
    ...model.tables
      .flatMap((pairs): Sheet[] => {
        const side = sides.get(pairs.id);
        if (!side) return [];
        const { table, field, ends } = side;
        return [
          {
            name: `${keyOf(table.home)}.${table.key}.${field.key}`,
            home: keyOf(pairs.home),
            table: pairs,
            title: `${table.label}: ${field.label}`,
            columns: ends.flatMap((id, at) => {
              const end = pairs.fields.find((one) => one.id === id);
              return end ? [{ name: at === 0 ? 'from' : 'to', field: end }] : [];
            }),
          },
        ];
      })
      .toSorted(compared(({ name }) => name)),
  ];
}

const compared =
  <T>(by: (one: T) => string) =>
  (a: T, b: T): number =>
    by(a) < by(b) ? -1 : by(a) > by(b) ? 1 : 0;

/** The sheet that a link leads to. */
export const linkedSheet = (sheets: readonly Sheet[], { type }: Field): Sheet | undefined =>
  type.kind === 'link' ? sheets.find(({ table }) => table.id === type.to) : undefined;

const namesPerson = (field: Field): boolean => valueTypeOf(field).is === 'member';

/**
 * SQL that reads the records of a sheet in their order, as texts that say all of their values; people by their email.
 * These are found in a constant: joined to the Directory, a million records would have to be sorted anew.
 */
export function readingSql({ columns }: Sheet, name: string, emails: ReadonlyMap<number, string>): string {
  const known = `${quoteText(JSON.stringify(Object.fromEntries(emails)))}::jsonb`;
  const cells = columns.map(({ name: as, field }) => {
    const column = `t.${quoteIdentifier(field.key)}`;
    const text = namesPerson(field) ? `${known} ->> ${column}::text` : valueTextSql(field, column);
    return `${text} as ${quoteIdentifier(as)}`;
  });
  return `select ${[`t._id as ${quoteIdentifier(recordColumn)}`, ...cells].join(', ')} from ${name} t order by t._id`;
}

/** SQL that makes the records of a sheet of what was staged, under their own numbers. */
export function writingSql({ columns }: Sheet, name: string, staged: string): string {
  const joins: string[] = [];
  const values = columns.map(({ name: as, field }) => {
    const cell = `s.${quoteIdentifier(as)}`;
    if (!namesPerson(field)) return valueFromTextSql(field, cell);
    const alias = `p${joins.length}`;
    joins.push(`left join loom.people ${alias} on ${alias}.email = ${cell}`);
    return `${alias}.id`;
  });
  const names = ['_id', ...columns.map(({ field }) => quoteIdentifier(field.key))];
  return `insert into ${name} (${names.join(', ')})
    select ${[`s.${quoteIdentifier(recordColumn)}::bigint`, ...values].join(', ')}
    from ${staged} s ${joins.join(' ')}`;
}
