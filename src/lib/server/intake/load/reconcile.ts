import { groupedBy } from '$core/base/grouped';
import { isAbout, numberIn } from '$core/intake/sheets/noRecords';
import { lastRow, rowsOut } from '$core/intake/leftOut';
import { sqlTypeOf } from '$core/formula/compiler';
import type { IntakeSheet, LeftOutRow, SheetReceipt } from '$core/intake/intake';
import { linkedTable, tableOf, valueTypeOf } from '$core/model/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableName, tableSql } from '../../access/workspaceState';
import { typedName } from './intoExisting';
import { valuesOf } from '../staged/sheetValues';
import type { LoadedSheet } from './loadedSheet';
import { stagedName } from '../staged/stagedName';
import { linkColumns, recordOf, type Loading } from './targets';
import { empty, identifier, join, raw, sql } from '../../base/sql';

const samples = 5;

/** Rows left out that a receipt names. */
const shownLeftOut = 50;

/** Rows of the file that were left out, with why; one of several parts where columns became rows. */
const leftOutInWords = (rows: readonly LeftOutRow[]) =>
  [...groupedBy(rows, ({ row, inFile = row }) => inFile)].slice(0, shownLeftOut).map(([row, [first]]) => ({
    row,
    why: first?.why ?? '',
    text: (first?.cells ?? [])
      .filter((cell) => cell !== '')
      .join(' · ')
      .slice(0, 200),
  }));

/**
 * What became of a sheet's rows. What was filled in the file and is blank in the record did not fit: it is set aside,
 * and counted by its reason. Every row is counted once, and number columns are summed as read and as stored.
 */
export async function reconcile(loading: Loading, loaded: LoadedSheet, batch: number): Promise<SheetReceipt> {
  const { sheet, mapping, table, offset } = loaded;
  await setAside(loading, loaded, batch);
  const labels = new Map(table.fields.map(({ id, label }) => [id, label]));
  const aside = await asideReasons(loading, loaded, batch);
  const refusals = await refusalReasons(loading, loaded);
  const totals = await totalsOf(loading, loaded, batch);
  const filled = (column: number | null) => (column === null ? 0 : filledRows(loaded, column));
  const out = rowsOut(sheet);
  const { aside: setAsideRecords, added, changed, unchanged, sums, links } = totals;
  return {
    sheet: sheet.name,
    table: table.id,
    tableLabel: table.label,
    offset,
    index: mapping.sheet,
    read: sheet.rows,
    ...(sheet.derived
      ? {}
      : {
          inFile: {
            above: sheet.heading.preamble,
            names: sheet.heading.rows,
            blank: sheet.blankRows ?? 0,
            ...(out.length > 0 ? { leftOut: out.length } : {}),
            ...(sheet.turned ? { turned: sheet.turned.rows } : {}),
          },
        }),
    ...(out.length > 0 ? { leftOut: leftOutInWords(out) } : {}),
    refused: refusals.reduce((sum, { count }) => sum + count, 0),
    setAside: setAsideRecords,
    added,
    ...(mapping.into ? { changed, unchanged } : {}),
    reasons: [
      ...aside.map((row) => ({ ...row, field: labels.get(row.field) ?? '' })),
      ...refusals.map((row) => ({ field: '', ...row, reason: `refused: ${row.reason}` })),
    ],
    sums: sums.map(({ field, column, stored, twice }) => ({
      field: field.label,
      ...unitOf(field),
      read: sheet.columns[column ?? 0]?.sum ?? '0',
      stored,
      ...(twice ? { twice } : {}),
    })),
    links: [
      ...links.map(({ field, column, made }) => ({ field: field.label, made, missed: filled(column) - made })),
      ...(await pairsMade(loading, loaded)),
    ],
  };
}

interface Reason {
  readonly reason: string;
  readonly count: number;
  readonly samples: string[];
}

/** Why values of this sheet's records were set aside; several sheets may go into one table. */
async function asideReasons(
  { client }: Loading,
  { sheet, mapping, table, offset }: LoadedSheet,
  batch: number,
): Promise<(Reason & { readonly field: string })[]> {
  const mine = mapping.into
    ? sql`record_id in (select _id from ${raw(typedName(mapping.sheet))})`
    : sql`record_id between ${offset + 1} and ${offset + lastRow(sheet)}`;
  const { rows } = await client.query<Reason & { field: string }>(
    sql`
      select field_id as field, reason, count(*) as count,
        (array_agg(distinct text))[1:${raw(String(samples))}] as samples
      from loom.set_aside
      where batch = ${batch} and table_id = ${table.id} and ${mine}
      group by 1, 2
      order by 3 desc
    `,
  );
  return rows;
}

/** Why rows did not come in. */
async function refusalReasons({ client }: Loading, { sheet }: LoadedSheet): Promise<Reason[]> {
  const { rows } = await client.query<Reason>(
    sql`
      select _refused as reason, count(*) as count,
        (array_agg(('row ' || _row) order by _row))[1:${raw(String(samples))}] as samples
      from ${raw(stagedName(sheet.staged))}
      where _refused is not null
      group by 1
      order by 2 desc limit 200
    `,
  );
  return rows;
}

/** What stands of a sheet: records by what became of them, sums of numbers, and how many links were made. */
async function totalsOf(loading: Loading, loaded: LoadedSheet, batch: number) {
  const { mapping, table, offset, sheet } = loaded;
  const { values } = valuesOf(loading, loaded);
  const numbers = values.filter(({ field, column }) => column !== null && isSummed(field));
  const links = values.filter(({ field }) => field.type.kind === 'link');
  const valueAt = (field: Field) =>
    mapping.into ? raw(`r.v${values.findIndex((one) => one.field.id === field.id)}`) : sql`r.${identifier(field.key)}`;
  const counted = (where: string) => raw(`count(*) filter (where a.record_id is null${where})`);
  const counts = mapping.into
    ? [
        sql`${counted(' and not stands')} as added`,
        sql`${counted(' and differs')} as changed`,
        sql`${counted(' and stands and not differs')} as unchanged`,
      ]
    : [sql`${counted('')} as added`];
  const { rows } = await loading.client.query<Record<string, string | number | boolean>>(
    sql`
      select ${join([
        raw('count(a.record_id) as aside'),
        ...counts,
        ...numbers.flatMap(({ field }, at) => [
          sql`coalesce(sum(${valueAt(field)}), 0) as ${raw(`sum${at}`)}`,
          sql`count(${valueAt(field)}) > 2 and 2 * greatest(max(${valueAt(field)}), -min(${valueAt(field)}))
            = abs(sum(${valueAt(field)})) as ${raw(`twice${at}`)}`,
        ]),
        ...links.map(({ field }, at) => sql`count(${valueAt(field)}) as ${raw(`links${at}`)}`),
      ])}
      from ${mapping.into ? raw(typedName(mapping.sheet)) : tableSql(loading.access.workspace, table)} r
      left join (
        select distinct record_id from loom.set_aside where batch = ${batch} and table_id = ${table.id}
      ) a on a.record_id = r._id
      ${mapping.into ? empty : sql`where r._id between ${offset + 1} and ${offset + lastRow(sheet)}`}
    `,
  );
  const total = rows[0] ?? {};
  return {
    aside: Number(total.aside),
    added: Number(total.added),
    changed: Number(total.changed),
    unchanged: Number(total.unchanged),
    sums: numbers.map((one, at) => {
      const stored = canonicalNumber(new Exact(String(total[`sum${at}`])));
      return { ...one, stored, twice: total[`twice${at}`] === true || isTwice(sheet, one.column, stored) };
    }),
    links: links.map((one, at) => ({ ...one, made: Number(total[`links${at}`]) })),
  };
}

/** Whether half of a sum is what rows say that looked like totals and were taken in all the same. */
function isTwice({ leftOut = [] }: IntakeSheet, column: number | null, sum: string): boolean {
  const taken = leftOut.filter(({ takenIn }) => takenIn);
  const said = taken.reduce((all, { cells }) => all + (numberIn(cells[column ?? -1] ?? '') ?? 0), 0);
  return said !== 0 && isAbout(2 * said, Number(sum));
}

/** What the numbers of a field measure. */
const unitOf = ({ type }: Field): { readonly unit?: string } => {
  const unit = type.kind === 'money' ? type.currency : type.kind === 'number' ? type.unit : null;
  return unit ? { unit } : {};
};

const isSummed = ({ type }: Field): boolean =>
  type.kind === 'number' || (type.kind === 'money' && type.currency !== null);

/** Rows of a column that say something, spellings of blank left out. */
function filledRows({ sheet, mapping }: LoadedSheet, column: number): number {
  const profile = sheet.columns[column];
  const blanks = new Set(mapping.columns.find((one) => one.column === column)?.clean?.blanks);
  return (
    (profile?.filled ?? 0) -
    (profile?.blankWords.reduce((sum, { text, count }) => sum + (blanks.has(text) ? count : 0), 0) ?? 0)
  );
}

/**
 * Keeps every text that is filled in the file and blank in the record, with its reason; of links to many each word that
 * found nothing.
 */
async function setAside(loading: Loading, loaded: LoadedSheet, batch: number): Promise<void> {
  const { client, access } = loading;
  const { sheet, mapping, table, offset } = loaded;
  const name = tableName(access.workspace, table);
  const staged = stagedName(sheet.staged);
  const { values } = valuesOf(loading, loaded);
  const place = `insert into loom.set_aside (workspace, batch, table_id, record_id, field_id, text, reason)`;
  const checked = values.flatMap((one, index) =>
    one.field.type.kind !== 'text' || one.field.type.maxLength !== undefined ? [{ ...one, index }] : [],
  );
  if (checked.length > 0) {
    // Of a table that stood, a record may keep a value where the row's did not fit: what was typed tells, not the
    // record.
    const typed = mapping.into !== undefined;
    const [text, isBlank] = [
      (one: (typeof checked)[number]) => (typed ? `u.t${one.index}` : one.text),
      (one: (typeof checked)[number]) =>
        typed ? `u.v${one.index} is null` : `t.${quoteIdentifier(one.field.key)} is null`,
    ];
    const cases = checked.map(
      (one) =>
        `(${quoteText(one.field.id)}, case when ${isBlank(one)} then ${text(one)} end, ${quoteText(reasonFor(one.field, access))})`,
    );
    await client.query(
      sql`
        ${raw(place)}
        select ${access.workspace.id}, ${batch}, ${table.id}, ${raw(typed ? 'u._id' : 't._id')}, m.field,
          m.text, m.reason
        from ${raw(typed ? `${typedName(mapping.sheet)} u` : `${staged} s join ${name} t on t._id = s._row + ${offset}`)}
        cross join lateral (values ${raw(cases.join(', '))}) m(field, text, reason)
        where (${raw(checked.map((one) => `${text(one)} is not null and ${isBlank(one)}`).join(' or '))})
          and m.text is not null
      `,
    );
  }
  for (const { field, many, from, found } of linkColumns(loading, loaded)) {
    if (!many) continue;
    const joins: string[] = [];
    const id = found(joins);
    await client.query(
      sql`
        ${raw(place)}
        select ${access.workspace.id}, ${batch}, ${table.id}, ${raw(recordOf(loaded))}, ${field.id}, w.word,
          ${reasonFor(field, access)}
        from ${raw(from)} ${raw(joins.join(' '))}
        where s._refused is null and w.word is not null and ${raw(id)} is null
      `,
    );
  }
}

/** Of each link to many: the words that found their target, and those that did not. */
async function pairsMade(loading: Loading, loaded: LoadedSheet): Promise<SheetReceipt['links'][number][]> {
  const out: SheetReceipt['links'][number][] = [];
  for (const { field, many, from, found } of linkColumns(loading, loaded)) {
    if (!many) continue;
    const joins: string[] = [];
    const id = found(joins);
    const { rows } = await loading.client.query<{ made: number; missed: number }>(
      sql`
        select count(${raw(id)}) as made, count(*) - count(${raw(id)}) as missed
        from ${raw(from)} ${raw(joins.join(' '))}
        where s._refused is null and w.word is not null
      `,
    );
    out.push({ field: field.label, made: rows[0]?.made ?? 0, missed: rows[0]?.missed ?? 0 });
  }
  return out;
}

function reasonFor(field: Field, access: WorkspaceAccess): string {
  const linked = linkedTable(access.workspace.model, field);
  if (linked) return `no record of ${tableOf(access.workspace.model, linked.table.id).label} has this key`;
  if (field.type.kind === 'option' || field.type.kind === 'options') return 'none of the options';
  return `is no ${sqlTypeOf(valueTypeOf(field)) === 'numeric' ? 'number' : field.type.kind === 'yesNo' ? 'yes or no' : field.type.kind}`;
}
