import { declaredLinks } from '$core/intake/sheets/declared';
import { isSpeaking } from '$core/intake/calledAfter';
import { bareName, leastShare, linkCandidates, type LinkCandidate } from '$core/intake/discover';
import type { ColumnProfile, FoundLink, IntakeSheet } from '$core/intake/intake';
import { linkReasons, linkWeight, playsPart, type FoundAmong } from '$core/intake/linkEvidence';
import { plainForm } from '$core/intake/matching/nearMatches';
import type { Client } from '../../database/pool';
import { meantSql } from '../staged/cleaning';
import { stagedName } from '../staged/stagedName';
import { raw, sql } from '../../base/sql';
import { shownMisfits, sayings, inclusion, type Inclusion, pairSql } from './inclusion';
import { samplesOf } from './standing';

/** Which of all candidates' samples each key holds: one look at a key for all columns that may point at it. */
async function sampledKeys(
  client: Client,
  sheets: readonly IntakeSheet[],
  candidates: readonly LinkCandidate[],
): Promise<ReadonlyMap<string, ReadonlySet<string>>> {
  const met = new Map<string, ReadonlySet<string>>();
  for (const place of new Set(candidates.map(({ to }) => `${to.sheet}.${to.column}`))) {
    const own = candidates.filter(({ to }) => `${to.sheet}.${to.column}` === place);
    const { sheet, column } = (own[0] as LinkCandidate).to;
    const target = sheets[sheet] as IntakeSheet;
    const samples = own.flatMap(({ from }) => samplesOf(sheets[from.sheet]?.columns[from.column] as ColumnProfile));
    const key = meantSql(target, column, 's');
    const { rows } = await client.query<{ text: string }>(
      sql`
        select distinct ${raw(key)} as text
        from ${raw(stagedName(target.staged))} s
        where ${raw(key)} = any(${samples})
      `,
    );
    met.set(place, new Set(rows.map(({ text }) => text)));
  }
  return met;
}

/**
 * Tests the candidate pairs on all rows: most fail on a few values already (sampling to refute), the others are held
 * against all, and what is found is weighed.
 */
export async function confirmLinks(
  client: Client,
  sheets: readonly IntakeSheet[],
  only: (candidate: LinkCandidate) => boolean = () => true,
): Promise<FoundLink[]> {
  const candidates = linkCandidates(sheets).filter(only);
  const met = await sampledKeys(client, sheets, candidates);
  const found: Found[] = [];
  const isFirst = ({ to }: LinkCandidate) => sheets[to.sheet]?.keys[0] === to.column;
  const confirm = async (those: readonly LinkCandidate[]) => {
    for (const candidate of those) {
      const link = await confirmed(client, sheets, candidate, met.get(placeOf(candidate.to)));
      if (link) found.push(link);
    }
  };
  await confirm(candidates.filter(isFirst));
  // A column that says whose records it names is no further key, though no value is met twice in it.
  const linked = new Set(found.flatMap(({ link: { from }, speaks }) => (speaks ? [placeOf(from)] : [])));
  await confirm(candidates.filter((one) => !isFirst(one) && !linked.has(placeOf(one.to))));
  return modelled(found.sort((a, b) => b.weight - a.weight));
}

/** A link that weighs enough, and whether its column says whose records it means. */
interface Found {
  readonly link: FoundLink;
  readonly weight: number;
  readonly speaks: boolean;
}

const placeOf = ({ sheet, column }: LinkCandidate['to']): string => `${sheet}.${column}`;

/** One candidate held against all rows and weighed; null where it is none. */
async function confirmed(
  client: Client,
  sheets: readonly IntakeSheet[],
  candidate: LinkCandidate,
  known: ReadonlySet<string> | undefined,
): Promise<Found | null> {
  const { from, to } = candidate;
  const [profile, target] = [sheets[from.sheet]?.columns[from.column], sheets[to.sheet]];
  if (!profile || !target) return null;
  // What could not outweigh accident even if every value were found is not asked of the rows.
  const distinct = Math.min(profile.distinct ?? Infinity, target.columns[to.column]?.distinct ?? target.rows);
  const both = companions(sheets, candidate).length;
  const alike = both > 0 ? { alike: { same: both, of: both } } : {};
  const best = { matching: profile.filled, missing: 0, distinct, distinctMissing: 0, ...alike };
  if (profile.several === undefined && linkWeight(sheets, candidate, best) <= 0) return null;
  for await (const { included, more } of countedWays(client, sheets, candidate, known)) {
    const weight = linkWeight(sheets, candidate, included);
    if (weight <= 0) continue;
    const { matching, missing, misfits } = included;
    const reasons = linkReasons(sheets, candidate, included);
    const speaks = (isSpeaking(candidate.called) && candidate.better === null) || playsPart(profile.name);
    return { weight, speaks, link: { from, to, matching, missing, misfits, reasons, ...more } };
  }
  return null;
}

/** How many values of a candidate's column are found, by each way of reading its cells that finds enough of them. */
export async function* countedWays(
  client: Client,
  sheets: readonly IntakeSheet[],
  candidate: LinkCandidate,
  known?: ReadonlySet<string>,
): AsyncGenerator<{ readonly included: Inclusion; readonly more: Pick<FoundLink, 'separator' | 'alike'> }> {
  const { from, to, called } = candidate;
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const profile = source?.columns[from.column];
  if (!source || !target || !profile) return;
  const key = meantSql(target, to.column, 's');
  const keys = `
    select ${key} as text
    from ${stagedName(target.staged)} s
    where ${key} is not null${from.sheet === to.sheet ? ' group by 1' : ''}
  `;
  const areDigits = profile.range !== undefined && target.columns[to.column]?.range !== undefined;
  let isFound = false;
  for (const separator of [undefined, profile.several?.separator]) {
    const samples = profile.samples.flatMap((text) =>
      separator === undefined ? [text] : text.split(separator).map((part) => part.trim()),
    );
    if (known === undefined || samples.length < 3 || samples.some((text) => known.has(text))) {
      const included = await inclusion(client, sayings(source, from.column, separator), keys, { areDigits });
      const ownRow = included && from.sheet === to.sheet ? await sameRows(client, source, from.column, to.column) : 0;
      const alike = included && separator === undefined ? await agreeing(client, sheets, candidate) : {};
      isFound ||= included?.missing === 0;
      if (included)
        yield separator === undefined
          ? { included: { ...included, ownRow, ...alike }, more: {} }
          : { included: { ...included, ownRow, areSeveral: true }, more: { separator } };
    }
    if (profile.several === undefined) break;
  }
  // Where every value is found as it stands, nothing is gained by spellings.
  if (isFound || !isSpeaking(called)) return;
  const alike = await includedAlike(client, sayings(source, from.column), keys);
  if (alike) yield { included: alike.included, more: { alike: alike.spellings } };
}

/**
 * Other columns that are called alike in the sheet of a candidate, where its column tells its own rows, and in the one it
 * may lead to: where both tell of the same things, these say the same.
 */
function companions(
  sheets: readonly IntakeSheet[],
  { from, to, called }: LinkCandidate,
): readonly (readonly [number, number])[] {
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  // What is called otherwise, such as a steward, is no other name of the thing itself.
  if (called !== 'silent' && called !== 'alike') return [];
  if (!source || !target || from.sheet === to.sheet || !source.keys.includes(from.column)) return [];
  return source.columns.flatMap((one, own) =>
    target.columns.flatMap((other, at) =>
      own !== from.column &&
      at !== to.column &&
      tells(one) &&
      tells(other) &&
      (one.distinct ?? Infinity) > 2 &&
      bareName(one.name) === bareName(other.name)
        ? [[own, at] as const]
        : [],
    ),
  );
}

const tells = ({ filled, type }: ColumnProfile): boolean =>
  filled > 0 && (type === 'text' || type === 'option' || type === 'date' || type === 'email');

/** How many of them say the same on nearly all rows that meet. */
async function agreeing(
  client: Client,
  sheets: readonly IntakeSheet[],
  candidate: LinkCandidate,
): Promise<Pick<FoundAmong, 'alike'>> {
  const { from, to } = candidate;
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const both = companions(sheets, candidate);
  if (!source || !target || both.length === 0) return {};
  const counts = both.map(([own, at], index) => {
    const [a, b] = [meantSql(source, own, 's'), meantSql(target, at, 't')];
    return `count(*) filter (where ${a} is not null and ${b} is not null)::int as of${index},
      count(*) filter (where ${a} = ${b})::int as same${index}`;
  });
  const { rows } = await client.query<Record<string, number>>(
    sql`
      select ${raw(counts.join(', '))}
      from (select * from ${raw(stagedName(source.staged))} order by _row limit ${mostCompared}) s
      join ${raw(stagedName(target.staged))} t
        on ${raw(meantSql(source, from.column, 's'))} = ${raw(meantSql(target, to.column, 't'))}
    `,
  );
  const met = both.map((_, index) => [rows[0]?.[`same${index}`] ?? 0, rows[0]?.[`of${index}`] ?? 0] as const);
  const told = met.filter(([, of]) => of > 0);
  return told.length === 0
    ? {}
    : { alike: { same: told.filter(([same, of]) => same >= of * 0.9).length, of: told.length } };
}
/** So many rows are enough to see whether two columns say the same. */
const mostCompared = 1_000;

/** Rows of a sheet that say the same in two columns. */
async function sameRows(client: Client, sheet: IntakeSheet, a: number, b: number): Promise<number> {
  const { rows } = await client.query<{ count: number }>(
    sql`
      select count(*)::int as count from ${raw(stagedName(sheet.staged))} s
      where ${raw(meantSql(sheet, a, 's'))} = ${raw(meantSql(sheet, b, 's'))}
    `,
  );
  return rows[0]?.count ?? 0;
}

/** So many different texts are compared for being alike but for case, signs and zeros. */
const mostAlike = 5_000;

/**
 * The same for texts that are alike but for case, signs and the zeros before numbers; null where too few are, where
 * keys are alike themselves, or where there are too many to be told one by one.
 */
async function includedAlike(
  client: Client,
  { from, text }: { from: string; text: string },
  keys: string,
): Promise<{ readonly included: Inclusion; readonly spellings: NonNullable<FoundLink['alike']> } | null> {
  const { rows: said } = await client.query<{ text: string; count: number }>(
    sql`
      select ${raw(text)} as text, count(*)::int as count from ${raw(from)}
      where ${raw(text)} is not null group by 1 order by 2 desc limit ${mostAlike + 1}
    `,
  );
  const { rows: known } = await client.query<{ text: string }>(
    sql`select distinct text from (${raw(keys)}) k limit ${mostAlike * 10 + 1}`,
  );
  if (said.length > mostAlike || known.length > mostAlike * 10) return null;
  const byForm = new Map(known.map((key) => [plainForm(key.text), key.text]));
  if (byForm.size < known.length) return null;
  const met = said.map((one) => ({ ...one, key: byForm.get(plainForm(one.text)) }));
  const among = (some: typeof met) => some.reduce((sum, { count }) => sum + count, 0);
  const [found, missed] = [met.filter(({ key }) => key !== undefined), met.filter(({ key }) => key === undefined)];
  if (among(found) < among(met) * leastShare) return null;
  return {
    included: {
      matching: among(found),
      missing: among(missed),
      distinct: found.length,
      distinctMissing: missed.length,
      misfits: missed.slice(0, shownMisfits).map(({ text: own, count }) => ({ text: own, count })),
    },
    spellings: found.flatMap(({ text: own, key }) =>
      key === undefined || key === own ? [] : [{ from: own, to: key }],
    ),
  };
}

/** Two links weigh about the same within this. */
const alikeWeight = 1.5;

/**
 * Out of links that were found, the weightiest first, those that make one sound model: one column leads to one key; of
 * two keys that lead to each other the weightier one does, or where they weigh about the same the one of which fewer
 * values are missing; and what does not speak of the records it leads to is none where another column of its sheet does
 * lead to them.
 */
function modelled(found: readonly Found[]): FoundLink[] {
  const kept: Found[] = [];
  for (const [index, one] of found.entries()) {
    const { link, weight } = one;
    const back = found.findIndex(
      ({ link: { from, to } }) => placeOf(from) === placeOf(link.to) && placeOf(to) === placeOf(link.from),
    );
    const other = found[back];
    const isAlike = other !== undefined && Math.abs(other.weight - weight) < alikeWeight;
    const isBetter =
      other !== undefined &&
      (isAlike && other.link.missing !== link.missing ? other.link.missing < link.missing : back < index);
    const isSaid = kept.some(
      ({ link: { from, to }, speaks }) =>
        placeOf(from) === placeOf(link.from) ||
        (speaks && !one.speaks && from.sheet === link.from.sheet && to.sheet === link.to.sheet),
    );
    if (!isBetter && !isSaid) kept.push(one);
  }
  // What leads to a column that is a link itself leads where that one does.
  const beyond = (link: FoundLink): FoundLink => {
    const next = kept.find(({ link: { from } }) => placeOf(from) === placeOf(link.to))?.link.to;
    const direct =
      next &&
      found.find(({ link: { from, to } }) => placeOf(from) === placeOf(link.from) && placeOf(to) === placeOf(next));
    return direct?.link ?? link;
  };
  return kept.map(({ link }) => beyond(link));
}

/** Counts the links that files declare: they stand however few of their values are found. */
export async function confirmDeclared(client: Client, sheets: readonly IntakeSheet[]): Promise<FoundLink[]> {
  const found: FoundLink[] = [];
  for (const link of declaredLinks(sheets)) {
    const { from, to, also, separator } = link;
    const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
    if (!source || !target) continue;
    const said = also
      ? { from: `${stagedName(source.staged)} s`, text: pairSql(source, from.column, also.from) }
      : sayings(source, from.column, separator);
    const key = also ? pairSql(target, to.column, also.to) : meantSql(target, to.column, 's');
    const included = await inclusion(
      client,
      said,
      `select ${key} as text from ${stagedName(target.staged)} s where ${key} is not null group by 1`,
      { least: 0 },
    );
    const { matching = 0, missing = 0, misfits = [] } = included ?? {};
    found.push({ ...link, matching, missing, misfits });
  }
  return found;
}
