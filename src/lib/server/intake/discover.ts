import { fieldKinds } from '$core/fieldTypes/registry';
import { declaredLinks } from '$core/intake/sheets/declared';
import {
  bareName,
  leastShare,
  linkCandidates,
  pairCandidates,
  speaksOf,
  type LinkCandidate,
} from '$core/intake/discover';
import type { ColumnProfile, FoundLink, IntakeSheet, StandingMatch } from '$core/intake/intake';
import { keysOf } from '$core/intake/keys';
import { patternOf } from '$core/intake/columns/pattern';
import { linkReasons, linkWeight, type FoundAmong, type WeighedColumn } from '$core/intake/linkEvidence';
import { plainForm } from '$core/intake/matching/nearMatches';
import { fieldOf, isStored, ownTables } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier, quoteText } from '$core/base/sql';
import { tableName, type WorkspaceAccess } from '../access/workspaceAccess';
import type { Client } from '../database/pool';
import { meantSql } from './staged/cleaning';
import { stagedName } from './staged/stage';
import { standingKey } from './load/targets';
import { raw, sql } from '../base/sql';

/** Values without a target that are kept as samples. */
const shownMisfits = 50;

/** Confirms on all rows which columns hold each value once, and which of them may be the key. */
export async function confirmKeys(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const unique: number[] = [];
  for (const column of sheet.unique) {
    // Counted, or proved while the rows went by: certain already.
    if (sheet.columns[column]?.distinct === sheet.rows) unique.push(column);
    else {
      const { rowCount } = await client.query(
        sql`
          select 1
          from ${raw(stagedName(sheet.staged))}
          group by c${raw(String(column))}
          having count(*) > 1 limit 1
        `,
      );
      if (rowCount === 0) unique.push(column);
    }
  }
  return { ...sheet, unique, keys: keysOf(sheet, unique) };
}

/** Holds keys of several columns, found on a sample, against all rows. */
export async function confirmWideKeys(client: Client, sheet: IntakeSheet): Promise<IntakeSheet> {
  const wide: (readonly number[])[] = [];
  for (const key of sheet.wideKeys ?? []) {
    const columns = key.map((column) => `c${column}`).join(', ');
    const { rowCount } = await client.query(
      sql`select 1 from ${raw(stagedName(sheet.staged))} group by ${raw(columns)} having count(*) > 1 limit 1`,
    );
    if (rowCount === 0) wide.push(key);
  }
  return { ...sheet, wideKeys: wide };
}

/** What a column says, as links are looked for in it: its texts, or where cells hold several values, each of them. */
function sayings(
  sheet: IntakeSheet,
  column: number,
  separator?: string,
): { readonly from: string; readonly text: string } {
  const text = meantSql(sheet, column, 's');
  const staged = `${stagedName(sheet.staged)} s`;
  if (separator === undefined) return { from: staged, text };
  return {
    from: `${staged} cross join lateral unnest(string_to_array(${text}, ${quoteText(separator)})) w`,
    text: 'loom.trimmed(w)',
  };
}

interface Inclusion extends FoundAmong {
  readonly misfits: readonly { readonly text: string; readonly count: number }[];
}

/**
 * Whether the values of a column are found among keys, and how many are not: one pass over the distinct values of both.
 * Null where too few are. `keys` selects the known texts as `text`, each once.
 */
async function inclusion(
  client: Client,
  { from, text }: { from: string; text: string },
  keys: string,
  least = leastShare,
): Promise<Inclusion | null> {
  const { rows } = await client.query<{
    text: string;
    count: number;
    known: boolean;
    all: number;
    matching: number;
    values: number;
    met: number;
  }>(
    sql`
      with d as (
        select ${raw(text)} as text, count(*) as count
        from ${raw(from)}
        where ${raw(text)} is not null
        group by 1
      ),
        l as (
          select d.text, d.count, k.text is not null as known
          from d
          left join (${raw(keys)}) k on k.text = d.text
        )
      select text, count, known, (select sum(count) from l)::int as all,
        (select coalesce(sum(count), 0) from l where known)::int as matching,
        (select count(*) from l)::int as values,
        (select count(*) from l where known)::int as met
      from l
      order by known, count desc, text limit ${shownMisfits}
    `,
  );
  const { all = 0, matching = 0, values = 0, met = 0 } = rows[0] ?? {};
  if (all === 0 || matching < all * least) return null;
  return {
    matching,
    missing: all - matching,
    distinct: met,
    distinctMissing: values - met,
    misfits: rows.flatMap((row) => (row.known ? [] : [{ text: row.text, count: row.count }])),
  };
}

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
  const found: { readonly link: FoundLink; readonly weight: number }[] = [];
  for (const candidate of candidates) {
    const link = await confirmed(client, sheets, candidate, met.get(placeOf(candidate.to)));
    if (link) found.push(link);
  }
  return modelled(found.sort((a, b) => b.weight - a.weight));
}

const placeOf = ({ sheet, column }: LinkCandidate['to']): string => `${sheet}.${column}`;

/** One candidate held against all rows and weighed; null where it is none. */
async function confirmed(
  client: Client,
  sheets: readonly IntakeSheet[],
  candidate: LinkCandidate,
  known: ReadonlySet<string> | undefined,
): Promise<{ readonly link: FoundLink; readonly weight: number } | null> {
  const { from, to } = candidate;
  const [source, target] = [sheets[from.sheet], sheets[to.sheet]];
  const profile = source?.columns[from.column];
  if (!source || !target || !profile) return null;
  const key = meantSql(target, to.column, 's');
  const keys = `
    select ${key} as text
    from ${stagedName(target.staged)} s
    where ${key} is not null${from.sheet === to.sheet ? ' group by 1' : ''}
  `;
  const weighed = (included: Inclusion, more: Partial<FoundLink> = {}) => {
    const weight = linkWeight(sheets, candidate, included);
    const { matching, missing, misfits } = included;
    const reasons = linkReasons(sheets, candidate, included);
    return weight > 0 ? { weight, link: { from, to, matching, missing, misfits, reasons, ...more } } : null;
  };
  for (const separator of [undefined, profile.several?.separator]) {
    const samples = profile.samples.flatMap((text) =>
      separator === undefined ? [text] : text.split(separator).map((part) => part.trim()),
    );
    if (samples.length < 3 || samples.some((text) => known?.has(text))) {
      const included = await inclusion(client, sayings(source, from.column, separator), keys);
      const ownRow = included && from.sheet === to.sheet ? await sameRows(client, source, from.column, to.column) : 0;
      const found = included && weighed({ ...included, ownRow }, separator === undefined ? {} : { separator });
      if (found) return found;
    }
    if (profile.several === undefined) break;
  }
  if (!speaksOf(profile.name, target.name, target.columns[to.column]?.name ?? '')) return null;
  const alike = await includedAlike(client, sayings(source, from.column), keys);
  return alike && weighed(alike.included, { alike: alike.spellings });
}

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
 * Out of links that were found, the weightiest first, those that make one sound model: one column leads to one key, and
 * of two keys that lead to each other the weightier one does, or where they weigh about the same the one of which fewer
 * values are missing.
 */
function modelled(found: readonly { readonly link: FoundLink; readonly weight: number }[]): FoundLink[] {
  const kept: FoundLink[] = [];
  for (const [index, { link, weight }] of found.entries()) {
    const back = found.findIndex(
      ({ link: { from, to } }) => placeOf(from) === placeOf(link.to) && placeOf(to) === placeOf(link.from),
    );
    const other = found[back];
    const isAlike = other !== undefined && Math.abs(other.weight - weight) < alikeWeight;
    const isBetter =
      other !== undefined &&
      (isAlike && other.link.missing !== link.missing ? other.link.missing < link.missing : back < index);
    if (!isBetter && !kept.some(({ from }) => placeOf(from) === placeOf(link.from))) kept.push(link);
  }
  return kept;
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
      0,
    );
    const { matching = 0, missing = 0, misfits = [] } = included ?? {};
    found.push({ ...link, matching, missing, misfits });
  }
  return found;
}

/** Two columns of a row as one text. */
const pairSql = (sheet: IntakeSheet, x: number, y: number): string =>
  `${meantSql(sheet, x, 's')} || E'\\x1f' || ${meantSql(sheet, y, 's')}`;

/** Sheets with the keys that links lead to before all others. */
export const withKeysPointedAt = (sheets: readonly IntakeSheet[], links: readonly FoundLink[]): IntakeSheet[] =>
  sheets.map((sheet, index) => {
    const pointedAt = new Set(links.flatMap(({ to, also }) => (to.sheet === index && !also ? [to.column] : [])));
    return sheet.derived || sheet.declared?.columns
      ? sheet
      : { ...sheet, keys: keysOf(sheet, sheet.unique, pointedAt) };
  });

/**
 * Links that two columns together make: into sheets that have no key of one column, but of two. The column with more
 * different values becomes the link, the other one has to agree with it.
 */
export async function confirmPairs(
  client: Client,
  sheets: readonly IntakeSheet[],
  known: readonly FoundLink[],
): Promise<FoundLink[]> {
  const found: FoundLink[] = [];
  for (const [to, target] of sheets.entries()) {
    if (target.keys.length > 0) continue;
    for (const key of target.wideKeys ?? []) {
      // A column that is a link itself only agrees; of two others, the one with more different values becomes the link.
      const linked = (column: number) =>
        Number(known.some((link) => link.from.sheet === to && link.from.column === column));
      const [a, b] = [...key].sort(
        (x, y) =>
          linked(x) - linked(y) || (target.columns[y]?.distinct ?? 0) - (target.columns[x]?.distinct ?? 0) || x - y,
      );
      if (key.length !== 2 || a === undefined || b === undefined) continue;
      for (const [from, source] of sheets.entries()) {
        if (from === to) continue;
        for (const { columns } of pairCandidates(source, target, [a, b])) {
          if (known.some((link) => link.from.sheet === from && link.from.column === columns[0])) continue;
          const included = await inclusion(
            client,
            { from: `${stagedName(source.staged)} s`, text: pairSql(source, columns[0], columns[1]) },
            `
              select ${pairSql(target, a, b)} as text
              from ${stagedName(target.staged)} s
              where ${pairSql(target, a, b)} is not null
              group by 1
            `,
          );
          if (!included) continue;
          const { matching, missing } = included;
          const misfits = included.misfits.map(({ text, count }) => ({ text: text.replace('\x1f', ' · '), count }));
          found.push({
            from: { sheet: from, column: columns[0] },
            to: { sheet: to, column: a },
            also: { from: columns[1], to: b },
            matching,
            missing,
            misfits,
          });
          break;
        }
      }
      if (found.some((link) => link.to.sheet === to)) break;
    }
  }
  return found;
}

/** Fields that tell the records of a table: unique, or the title. */
const tellingFields = (table: Table): Field[] =>
  table.fields.filter(
    (field) =>
      isStored(field) &&
      !field.off &&
      (field.unique || field.id === table.title) &&
      (fieldKinds[field.type.kind].oneLine === true || field.type.kind === 'number'),
  );

/** Its samples, and what they hold where cells hold several values. */
const samplesOf = ({ samples, several }: ColumnProfile): string[] =>
  several
    ? [...samples, ...samples.flatMap((text) => text.split(several.separator).map((part) => part.trim()))]
    : [...samples];

/**
 * Pairs of columns that together tell the records of tables whose rule is that two of their fields are unique together:
 * columns called like the two fields, held against all records.
 */
async function standingPairs(client: Client, access: WorkspaceAccess, sheet: IntakeSheet): Promise<StandingMatch[]> {
  const { model } = access.workspace;
  const found: StandingMatch[] = [];
  for (const table of ownTables(model))
    for (const rule of table.rules ?? []) {
      if (rule.kind !== 'unique' || rule.fields.length !== 2) continue;
      const fields = rule.fields
        .map((id) => fieldOf(model, id).field)
        .sort((a, b) => Number(a.type.kind === 'link') - Number(b.type.kind === 'link'));
      const [own, other] = fields as [Field, Field];
      const called = (field: Field) =>
        sheet.columns.flatMap(({ name, filled }, column) =>
          filled > 0 && speaksOf(name, field.type.kind === 'link' ? field.label : table.label, field.label)
            ? [column]
            : [],
        );
      const stored = (field: Field) => standingKey(access, table, field.id, '').stored;
      const keys = `
        select ${stored(own)} || E'\\x1f' || ${stored(other)} as text
        from ${tableName(access.workspace, table)} t
        where ${stored(own)} is not null and ${stored(other)} is not null
      `;
      for (const [a, b] of called(own)
        .flatMap((x) => called(other).flatMap((y) => (x === y ? [] : [[x, y] as const])))
        .slice(0, 4)) {
        const included = await inclusion(
          client,
          { from: `${stagedName(sheet.staged)} s`, text: pairSql(sheet, a, b) },
          `select distinct text from (${keys}) k`,
        );
        if (!included) continue;
        const misfits = included.misfits.map(({ text, count }) => ({ text: text.replace('\x1f', ' · '), count }));
        found.push({
          column: a,
          table: table.id,
          field: own.id,
          also: { column: b, field: other.id },
          matching: included.matching,
          missing: included.missing,
          misfits,
        });
        break;
      }
    }
  return found;
}

/** So many keys of a table that stands are looked at for how they are written. */
const mostKeysSeen = 200;

/** A table that stands as what links to it are weighed by. */
async function standingAsWeighed(client: Client, name: string, stored: string, table: Table, key: Field) {
  const { rows } = await client.query<{ text: string; all: number }>(
    sql`
      select ${raw(stored)} as text, (select count(*) from ${raw(name)} t where ${raw(stored)} is not null)::int as all
      from (select * from ${raw(name)} order by _id limit ${mostKeysSeen}) t
      where ${raw(stored)} is not null
    `,
  );
  const samples = rows.map(({ text }) => text);
  const [all, pattern] = [rows[0]?.all ?? 0, patternOf(samples)];
  const numbers = samples.map(Number);
  const isDigits = samples.length > 0 && samples.every((text) => /^\d+$/.test(text));
  const column: WeighedColumn = {
    name: key.label,
    type: key.type.kind === 'number' ? 'number' : 'text',
    distinct: all,
    values: samples.map((text) => ({ text, count: 1 })),
    samples: samples.slice(0, 5),
    ...(isDigits ? { range: { least: String(Math.min(...numbers)), most: String(Math.max(...numbers, all)) } } : {}),
    ...(pattern ? { pattern } : {}),
  };
  return { name: table.label, rows: all, keys: [0], columns: [column] };
}

/** Finds which columns of a sheet hold keys of tables that stand: first by a few samples, then on all rows. */
export async function standingMatches(
  client: Client,
  access: WorkspaceAccess,
  sheet: IntakeSheet,
): Promise<StandingMatch[]> {
  const able = sheet.columns.flatMap((profile, column) =>
    profile.filled > 0 &&
    ['text', 'option', 'options', 'number', 'email'].includes(profile.type) &&
    profile.longest <= 200
      ? [{ profile, column }]
      : [],
  );
  const found: StandingMatch[] = [];
  for (const table of ownTables(access.workspace.model))
    for (const key of tellingFields(table)) {
      const name = tableName(access.workspace, table);
      const stored = `t.${quoteIdentifier(key.key)}${key.type.kind === 'number' ? '::text' : ''}`;
      const samples = able.flatMap(({ profile }) => samplesOf(profile));
      const { rows: known } = await client.query<{ text: string }>(
        sql`select distinct ${raw(stored)} as text from ${raw(name)} t where ${raw(stored)} = any(${samples})`,
      );
      const met = new Set(known.map(({ text }) => text));
      if (met.size === 0) continue;
      const weighed = await standingAsWeighed(client, name, stored, table, key);
      // A sheet that is called as the table is, with a column called as its key, is likely about its records.
      const called = bareName(sheet.name) === bareName(table.label) ? 2 : 0;
      const isLink = (column: number, included: Inclusion) => {
        const alike = bareName(sheet.columns[column]?.name ?? '') === bareName(key.label) ? 2 : 0;
        // A sheet's own key may hold the very records of the table.
        const found = { from: { sheet: 0, column }, to: { sheet: 1, column: 0 } };
        return linkWeight([{ ...sheet, keys: [] }, weighed], found, included) + called + alike > 0;
      };
      for (const { profile, column } of able) {
        const hits = samplesOf(profile).filter((text) => met.has(text)).length;
        if (hits === 0 || hits * 2 < profile.samples.length) continue;
        for (const separator of [undefined, profile.several?.separator]) {
          const included = await inclusion(
            client,
            sayings(sheet, column, separator),
            `select distinct ${stored} as text from ${name} t`,
          );
          if (included && isLink(column, included))
            found.push({
              column,
              table: table.id,
              field: key.id,
              matching: included.matching,
              missing: included.missing,
              misfits: included.misfits,
              ...(separator === undefined ? {} : { separator }),
            });
          if (included || profile.several === undefined) break;
        }
      }
    }
  found.push(...(await standingPairs(client, access, sheet)));
  // One column tells one table: the one that takes most of it, rather by what each record has once.
  return found
    .sort((a, b) => b.matching - a.matching)
    .filter((one, index, all) => all.findIndex(({ column }) => column === one.column) === index);
}
