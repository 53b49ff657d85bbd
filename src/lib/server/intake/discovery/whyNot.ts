import { candidateBetween } from '$core/intake/discover';
import { goneTo, isOfSplit, type IntakeSheet, type Proposal } from '$core/intake/intake';
import { keyReasons } from '$core/intake/keys';
import { linkReasons, type FoundAmong } from '$core/intake/linkEvidence';
import type { Reason } from '$core/intake/columns/meaning';
import { findTable } from '$core/model/model';
import type { WorkspaceAccess } from '../../access/workspaceAccess';
import { notHere } from '../../base/refusal';
import { raw, sql } from '../../base/sql';
import type { Client, Pool } from '../../database/pool';
import { readIntake, requireState } from '../intakes';
import { meantSql } from '../staged/cleaning';
import { stagedName } from '../staged/stagedName';
import { inclusion, sayings } from './inclusion';
import { standingReasons } from './standing';

/** What a person wonders about a column: that it is no key, is not split off, or leads nowhere. */
export interface Wondered {
  readonly sheet: number;
  readonly column: number;
  /** `key`, `split`, or the table that it does not lead to: `t2` for what the third sheet becomes, or one that stands. */
  readonly what: string;
}

export interface WhyNot {
  /** It is proposed after all. */
  readonly proposed: boolean;
  /** What was counted, in a sentence. */
  readonly says: string;
  readonly reasons: readonly Reason[];
}

const n = (count: number) => count.toLocaleString('en');
const times = (count: number, one: string) => `${n(count)} ${one}${count === 1 ? '' : 's'}`;

/** Why something was not proposed of a column: what was counted, and what speaks for and against it. */
export async function whyNot(
  pool: Pool,
  access: WorkspaceAccess,
  id: number,
  { sheet: at, column, what }: Wondered,
): Promise<WhyNot> {
  const intake = await readIntake(pool, access, id);
  requireState(intake, ['ready', 'undone', 'loaded']);
  const { sheets, proposal } = intake;
  const sheet = sheets[at];
  if (!sheet?.columns[column] || !proposal) throw notHere('column');
  const client = await pool.connect();
  try {
    if (what === 'key') return await whyNoKey(client, sheet, column);
    if (what === 'split') return await whyNoSplit(client, sheets, at, column);
    const place = /^t(\d+)$/.exec(what)?.[1];
    if (place !== undefined) return await whyNoLink(client, sheets, proposal, at, column, Number(place));
    const table = findTable(access.workspace.model, what);
    if (!table) throw notHere('table');
    const found = await standingReasons(client, access, sheet, column, table);
    const proposed = sheet.standing?.some((one) => one.column === column && one.table === table.id) ?? false;
    return found
      ? { proposed, says: foundWords(found.included, `${table.label}, field ${found.key}`), reasons: found.reasons }
      : { proposed, says: `No field of ${table.label} tells its records apart.`, reasons: [] };
  } finally {
    client.release();
  }
}

const foundWords = ({ matching, missing }: Pick<FoundAmong, 'matching' | 'missing'>, where: string): string =>
  `${n(matching)} of ${times(matching + missing, 'value')} ${matching === 1 ? 'is' : 'are'} found in ${where}.`;

async function whyNoKey(client: Client, sheet: IntakeSheet, column: number): Promise<WhyNot> {
  const profile = sheet.columns[column] as IntakeSheet['columns'][number];
  const text = meantSql(sheet, column, 's');
  const { rows } = await client.query<{ text: string; count: number; values: number; blank: number }>(
    sql`
      with v as (
        select ${raw(text)} as text, count(*)::int as count from ${raw(stagedName(sheet.staged))} s group by 1
      )
      select text, count, (select count(*) from v where count > 1 and text is not null)::int as values,
        (select coalesce(sum(count), 0) from v where text is null)::int as blank
      from v
      where text is not null
      order by count desc, text
      limit 1
    `,
  );
  const { text: most = '', count = 0, values = 0, blank = 0 } = rows[0] ?? {};
  const reasons = keyReasons(profile, column);
  const key = sheet.keys[0];
  if (key === column) return { proposed: true, says: 'It is the key.', reasons };
  if (values > 0)
    return {
      proposed: false,
      says: `${times(values, 'value')} stand on more than one row: “${most}” on ${n(count)}.`,
      reasons: [],
    };
  if (blank > 0) return { proposed: false, says: `It is blank on ${times(blank, 'row')}.`, reasons: [] };
  const better = key === undefined ? '' : ` ${sheet.columns[key]?.name} is likelier to be the key.`;
  return { proposed: false, says: `Each row has a value of its own.${better}`, reasons };
}

/** So many rows are looked at, and so many columns. */
const most = { rows: 20_000, columns: 60 };

async function whyNoSplit(client: Client, sheets: readonly IntakeSheet[], at: number, column: number): Promise<WhyNot> {
  const sheet = sheets[at] as IntakeSheet;
  const filled = sheet.columns.flatMap((profile, other) => (other !== column && profile.filled > 0 ? [other] : []));
  const others = filled.slice(0, most.columns);
  if (others.length === 0)
    return { proposed: false, says: `${sheet.name} has no other column that could go with it.`, reasons: [] };
  const differing = (other: number) => `
    select ${other} as other, coalesce(sum(rows - most), 0)::int as differ
    from (
      select told, sum(count) as rows, max(count) as most
      from (
        select told, ${meantSql(sheet, other, 's')} as v, count(*) as count from s where told is not null group by 1, 2
      ) g
      group by 1
    ) g
  `;
  const { rows } = await client.query<{ other: number; differ: number; values: number; all: number }>(
    sql`
      with s as materialized (
        select *, ${raw(meantSql(sheet, column, 't'))} as told
        from ${raw(stagedName(sheet.staged))} t
        order by _row
        limit ${most.rows}
      )
      select d.*, (select count(distinct told) from s)::int as values, (select count(*) from s where told is not null)::int as all
      from (${raw(others.map(differing).join(' union all '))}) d
      order by differ, other
    `,
  );
  const { values = 0, all = 0 } = rows[0] ?? {};
  const nameOf = (other: number) => sheet.columns[other]?.name ?? '';
  const reasons = rows.map(({ other, differ }): Reason => {
    const share = differ / Math.max(1, all);
    return {
      weight: differ === 0 ? 1 : share <= 0.03 ? 0.5 : -share,
      says:
        differ === 0
          ? `${nameOf(other)} is the same on all rows of a value`
          : `${nameOf(other)} is another one on ${times(differ, 'row')}`,
    };
  });
  const proposed = sheets.some(
    ({ derived }) => isOfSplit(derived, at, column) && goneTo(derived, at, column) === undefined,
  );
  const cut = [
    ...(sheet.rows > most.rows ? [`the first ${n(most.rows)} rows`] : []),
    ...(filled.length > others.length ? [`the first ${n(others.length)} other columns`] : []),
  ];
  const looked = cut.length > 0 ? ` (${cut.join(', ')})` : '';
  const repeats = all / Math.max(1, values);
  return {
    proposed,
    says: `${times(values, 'different value')} on ${times(all, 'row')}${looked}: each on ${repeats.toFixed(1)} on average.`,
    reasons,
  };
}

async function whyNoLink(
  client: Client,
  sheets: readonly IntakeSheet[],
  proposal: Proposal,
  at: number,
  column: number,
  to: number,
): Promise<WhyNot> {
  const [sheet, target] = [sheets[at] as IntakeSheet, sheets[to]];
  if (!target) throw notHere('sheet');
  const proposed = proposal.links.some(
    ({ from, to: place }) => from.sheet === at && from.column === column && place.sheet === to,
  );
  const [key] = target.keys;
  if (key === undefined)
    return {
      proposed,
      says: `No column of ${target.name} tells its rows apart, so none can be pointed at.`,
      reasons: [],
    };
  const candidate = candidateBetween(sheets, { sheet: at, column }, { sheet: to, column: key });
  const text = meantSql(target, key, 's');
  const keys = `select distinct ${text} as text from ${stagedName(target.staged)} s where ${text} is not null`;
  const areDigits = sheet.columns[column]?.range !== undefined && target.columns[key]?.range !== undefined;
  const included = await inclusion(client, sayings(sheet, column), keys, { least: 0, areDigits });
  const where = `${target.columns[key]?.name} of ${target.name}`;
  if (!included) return { proposed, says: `Nothing stands in it, so nothing is found in ${where}.`, reasons: [] };
  return { proposed, says: foundWords(included, where), reasons: linkReasons(sheets, candidate, included) };
}
