import { fieldNamed, isEntered } from '$core/model/model';
import { takeValue, plainReading, type EnteredType } from '$core/fieldTypes/registry';
import type { Scalar } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { tableAt, type WorkspaceAccess } from '../access/workspaceAccess';
import { Refusal, refuse } from '../base/refusal';
import type { Pool } from '../database/pool';
import { mostProblems, refuseAll, type DraftProblem } from '../records/draftChecks';
import type { SentRecord } from './edits';
import { recordsBy } from './matches';
import { writeRecords, type WriteAnswer } from './write';

/** What became of records that were sent with their keys. */
export interface Upserted extends WriteAnswer {
  readonly made: number;
  /** Found, and written where something differed. */
  readonly found: number;
}

/** So often a record that came or went in between is looked for anew. */
const mostTries = 3;

/**
 * Makes records, or changes those that have the same values in fields that are unique, alone or together. All or none,
 * in one transaction; what another made or deleted in between is looked for anew.
 */
export async function upsertRecords(
  pool: Pool,
  access: WorkspaceAccess,
  name: string,
  by: readonly string[],
  records: readonly SentRecord[],
  minimal = false,
): Promise<Upserted> {
  const table = tableAt(access, name);
  const fields = keyFields(table, by);
  const keys = keysOf(access, fields, records);
  for (let tries = 1; ; tries++) {
    const ids = await recordsBy(pool, access, table, keys);
    const placed = records.map((record, place) => ({ ...record, place, id: ids[place] ?? null }));
    const insert = placed.flatMap(({ id, ...record }) => (id === null ? [record] : []));
    const update = placed.flatMap(({ id, ...record }) => (id === null ? [] : [{ ...record, id }]));
    const counts = { made: insert.length, found: update.length };
    try {
      const answer = (written: WriteAnswer) => ({ ...written, ...counts });
      return answer(await writeRecords(pool, access, name, { insert, update }, { answer, minimal }));
    } catch (error) {
      if (!(error instanceof Refusal) || tries >= mostTries) throw error;
      if (sameIds(ids, await recordsBy(pool, access, table, keys))) throw error;
    }
  }
}

const sameIds = (one: readonly (number | null)[], other: readonly (number | null)[]): boolean =>
  one.every((id, at) => id === other[at]);

/** The fields by which records are found: one that is unique, or those of a rule that says so. */
function keyFields(table: Table, by: readonly string[]): Field[] {
  const fields = by.map((name) => {
    const field = fieldNamed(table, name);
    if (!field) throw refuse(422, `${table.label} has no field “${name}”.`, 'Use a key from the model.', '?/by');
    if (!(isEntered(field) || field.still) || field.type.kind === 'counterpart')
      throw refuse(422, `${field.label} is not entered, so records are not found by it.`, 'Use another field.', '?/by');
    return field;
  });
  const ids = new Set(fields.map(({ id }) => id));
  const isUnique =
    fields.some(({ unique }) => unique) ||
    (table.rules ?? []).some((rule) => rule.kind === 'unique' && rule.fields.every((id) => ids.has(id)));
  if (!isUnique)
    throw refuse(
      422,
      `${fields.map(({ label }) => label).join(' and ')} ${fields.length === 1 ? 'is' : 'are'} not unique in ${table.label}.`,
      'Use a field that is, or fields that a rule makes unique together.',
      '?/by',
    );
  return fields;
}

/** The key of each record, in the core's values; refused where one has none, or two have the same. */
function keysOf(
  { workspace }: WorkspaceAccess,
  fields: readonly Field[],
  records: readonly SentRecord[],
): ReadonlyMap<Field, Scalar>[] {
  const problems: DraftProblem[] = [];
  const seen = new Map<string, number>();
  const reading = { ...plainReading, zone: workspace.zone };
  const keys = records.map(({ values }, record) => {
    const key = new Map<Field, Scalar>();
    for (const field of fields) {
      const at = `/records/${record}/values/${field.key}`;
      const taken = takeValue(values[field.key] ?? values[field.id] ?? null, field.type as EnteredType, reading);
      if (!taken.ok) problems.push({ record, ...taken.problem, at });
      else if (taken.value === null)
        problems.push({
          record,
          message: `${field.label} says which record it is, and is blank.`,
          fix: 'Write a value.',
          at,
        });
      else key.set(field, taken.value);
    }
    const words = JSON.stringify([...key.values()]);
    const before = seen.get(words);
    if (before !== undefined && key.size === fields.length)
      problems.push({
        record,
        message: `This is the same record as number ${before + 1}.`,
        fix: 'Send each record once.',
        at: `/records/${record}`,
      });
    seen.set(words, record);
    return key;
  });
  if (problems.length > 0) throw refuseAll(problems.slice(0, mostProblems), problems.length);
  return keys;
}
