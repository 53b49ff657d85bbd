import type { ColumnMapping, IntakeSheet } from '$core/intake/intake';
import { readSql } from '../../fieldTypes/registry';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import type { Pool } from '../../database/pool';
import { notHere } from '../../base/refusal';
import { cleanedSql } from './cleaning';
import { readIntake, requireState, type IntakeOut } from '../intakes';
import { stagedName } from './stagedName';
import { raw, sql, type Sql } from '../../base/sql';

/** The first rows of a sheet as they were read, blanks as null. */
export async function firstRows(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  at: number,
  limit: number,
): Promise<(string | null)[][]> {
  const { sheet } = await staged(pool, access, id, at);
  const columns = sheet.columns.map((_, column) => `c${column}`);
  const { rows } = await pool.query<(string | null)[]>({
    text: `select ${columns.join(', ')} from ${stagedName(sheet.staged)} order by _row limit ${limit}`,
    rowMode: 'array',
  });
  return rows;
}

async function staged(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  at: number,
): Promise<{ intake: IntakeOut; sheet: IntakeSheet }> {
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone', 'loaded']);
  const sheet = intake.sheets[at];
  if (!sheet) throw notHere('sheet');
  return { intake, sheet };
}

/** How a column's values spread: bars with their counts, and how many rows are blank or do not fit. */
export interface Distribution {
  readonly kind: 'number' | 'date' | 'text';
  readonly bars: readonly { readonly label: string; readonly count: number }[];
  /** Values beyond those of the bars, where only the most frequent are shown. */
  readonly others: number;
  readonly blank: number;
  readonly misfits: number;
}

const mostBars = 24;
const shownTexts = 20;

/**
 * The spread of a column as it would be read, over all rows: numbers and days in bars of one width, all else by its
 * most frequent values.
 */
export async function distributionOf(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  at: number,
  column: number,
): Promise<Distribution> {
  const { intake, sheet } = await staged(pool, access, id, at);
  const profile = sheet.columns[column];
  if (!profile) throw notHere('column');
  const mapping: Partial<ColumnMapping> =
    intake.proposal?.mappings.find((one) => one.sheet === at)?.columns.find((one) => one.column === column) ?? {};
  const decided = intake.proposal?.decisions.columns[`${at}.${column}`]?.as ?? profile.type;
  const text = cleanedSql('s', column, mapping.clean);
  const from = raw(`${stagedName(sheet.staged)} s`);
  const reading = mapping.reading ?? profile.reading;
  switch (decided) {
    case 'number': {
      const value = readSql(text, { kind: 'number', digits: null }, reading);
      return binned(pool, from, text, value, { kind: 'number', whole: profile.digits === 0, edge: short });
    }
    case 'date': {
      const value = `(${readSql(text, { kind: 'date' }, reading)} - date '2000-01-01')::numeric`;
      return binned(pool, from, text, value, { kind: 'date', whole: false, edge: dayAt });
    }
    default:
      return textsOf(pool, from, text);
  }
}

/** The day so many days after the beginning of 2000. */
const dayAt = (days: number): string =>
  new Date(Date.UTC(2000, 0, 1) + Math.round(days) * 86_400_000).toISOString().slice(0, 10);

/** How often values lie in stretches of one width; few whole numbers have a bar each. */
async function binned(
  pool: Pool,
  from: Sql,
  text: string,
  value: string,
  { kind, whole, edge }: { kind: 'number' | 'date'; whole: boolean; edge: (value: number) => string },
): Promise<Distribution> {
  const { rows: ends } = await pool.query<{ lo: string | null; hi: string | null; blank: number; misfits: number }>(
    sql`
      with v as (select ${raw(text)} as t, ${raw(value)} as x from ${from})
      select min(x)::text as lo, max(x)::text as hi, count(*) filter (where t is null) as blank,
        count(*) filter (where t is not null and x is null) as misfits
      from v
    `,
  );
  const { lo = null, hi = null, blank = 0, misfits = 0 } = ends[0] ?? {};
  if (lo === null || hi === null) return { kind, bars: [], others: 0, blank, misfits };
  const [low, high] = [Number(lo), Number(hi)];
  const each = whole && high - low < mostBars;
  const bars = each ? high - low + 1 : high > low ? mostBars : 1;
  const width = each ? 1 : (high - low) / bars;
  const end = each || high === low ? String(high + 1) : hi;
  const { rows } = await pool.query<{ bar: number; count: number }>(
    sql`
      with v as (select ${raw(value)} as x from ${from})
      select least(width_bucket(x, ${lo}::numeric, ${end}::numeric, ${bars}::int), ${bars}::int) as bar,
        count(*) as count
      from v
      where x is not null
      group by 1
    `,
  );
  const counts = new Map(rows.map(({ bar, count }) => [bar, count]));
  const edgeOf = (n: number) => edge(low + n * width);
  const label = (n: number) => (each || bars === 1 ? edgeOf(n) : `${edgeOf(n)} – ${edgeOf(n + 1)}`);
  return {
    kind,
    bars: Array.from({ length: bars }, (_, n) => ({ label: label(n), count: counts.get(n + 1) ?? 0 })),
    others: 0,
    blank,
    misfits,
  };
}

/** The texts that come most often. */
async function textsOf(pool: Pool, from: Sql, text: string): Promise<Distribution> {
  const { rows } = await pool.query<{ label: string; count: number; all: number; blank: number }>(
    sql`
      with v as (select ${raw(text)} as t from ${from})
      select t as label, count(*) as count, (select count(t) from v)::int as all,
        (select count(*) - count(t) from v)::int as blank
      from v
      where t is not null
      group by 1
      order by 2 desc, 1
      limit ${shownTexts}
    `,
  );
  const { all = 0, blank = 0 } = rows[0] ?? {};
  return {
    kind: 'text',
    bars: rows.map(({ label, count }) => ({ label, count })),
    others: all - rows.reduce((sum, { count }) => sum + count, 0),
    blank,
    misfits: 0,
  };
}

const short = (n: number): string => String(Number(n.toPrecision(4)));
