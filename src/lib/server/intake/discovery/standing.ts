import { fieldKinds } from '$core/fieldTypes/registry';
import { speaksOf } from '$core/intake/calledAfter';
import { bareName, candidateBetween } from '$core/intake/discover';
import type { ColumnProfile, IntakeSheet, StandingMatch } from '$core/intake/intake';
import type { Reason } from '$core/intake/columns/meaning';
import { patternOf } from '$core/intake/columns/pattern';
import { linkReasons, linkWeight, type Weighed, type WeighedColumn } from '$core/intake/linkEvidence';
import { fieldOf, isStored, ownTables } from '$core/model/model';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import { quoteIdentifier } from '$core/base/sql';
import { type WorkspaceAccess } from '../../access/workspaceAccess';
import { tableName } from '../../access/workspaceState';
import type { Client } from '../../database/pool';
import { stagedName } from '../staged/stagedName';
import { standingKey } from '../load/targets';
import { raw, sql } from '../../base/sql';
import { sayings, inclusion, type Inclusion, pairSql } from './inclusion';

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
export const samplesOf = ({ samples, several }: ColumnProfile): string[] =>
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

/** The expression by which the records of a table that stands are told. */
const storedKey = (key: Field): string => `t.${quoteIdentifier(key.key)}${key.type.kind === 'number' ? '::text' : ''}`;

/** A column of a sheet as a candidate for a link to the key of a table that stands. */
function standingCandidate(sheet: IntakeSheet, column: number, weighed: Weighed) {
  // A sheet's own key may hold the very records of the table.
  const both = [{ ...sheet, keys: [] }, weighed];
  return { both, candidate: candidateBetween(both, { sheet: 0, column }, { sheet: 1, column: 0 }) };
}

/** What speaks for and against a link of a column to a table that stands; null where no field tells its records. */
export async function standingReasons(
  client: Client,
  access: WorkspaceAccess,
  sheet: IntakeSheet,
  column: number,
  table: Table,
): Promise<{ readonly key: string; readonly included: Inclusion; readonly reasons: readonly Reason[] } | null> {
  const [key] = tellingFields(table);
  if (!key) return null;
  const [name, stored] = [tableName(access.workspace, table), storedKey(key)];
  const keys = `select distinct ${stored} as text from ${name} t where ${stored} is not null`;
  const included = (await inclusion(client, sayings(sheet, column), keys, { least: 0 })) ?? {
    matching: 0,
    missing: 0,
    distinct: 0,
    distinctMissing: 0,
    misfits: [],
  };
  const weighed = await standingAsWeighed(client, name, stored, table, key);
  const { both, candidate } = standingCandidate(sheet, column, weighed);
  return { key: key.label, included, reasons: linkReasons(both, candidate, included) };
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
      const stored = storedKey(key);
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
        const { both, candidate } = standingCandidate(sheet, column, weighed);
        return linkWeight(both, candidate, included) + called + alike > 0;
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
