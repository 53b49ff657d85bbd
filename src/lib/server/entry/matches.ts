import { fieldNamed, fieldOf, isEntered, linkedTable } from '$core/model/model';
import { groupedBy } from '$core/base/grouped';
import { takeValue, type EnteredType } from '$core/fieldTypes/registry';
import type { Scalar } from '$core/types/expression';
import type { Field } from '$core/types/field';
import type { Table } from '$core/types/model';
import { seeing, type WorkspaceAccess } from '../access/workspaceAccess';
import { tableSql } from '../access/workspaceState';
import { Refusal, refuse } from '../base/refusal';

import type { Client, Pool } from '../database/pool';
import { sent, wireOf } from '../sql/column';
import { identifier, join, raw, sql } from '../base/sql';

/** A record that is named by values of its own instead of by its id, for a link to it. */
export interface Match {
  readonly link: Field;
  readonly by: Readonly<Record<string, unknown>>;
  /** Its place in what was sent. */
  readonly at: string;
}

/** The records that have these values in these fields, in their order; null where none has. By what the person sees. */
export async function recordsBy(
  connection: Pool | Client,
  access: WorkspaceAccess,
  target: Table,
  keys: readonly ReadonlyMap<Field, Scalar>[],
): Promise<(number | null)[]> {
  const ids = await idsOf(
    connection,
    access,
    keys.map((values) => ({ target, values })),
  );
  return keys.map((_, at) => ids.get(at)?.[0] ?? null);
}

/** A match as it is looked for: the target and the values of its fields. */
interface Wanted {
  readonly match: Match;
  readonly target: Table;
  readonly values: ReadonlyMap<Field, Scalar>;
}

/** The ids of the records that matches name, in their order, or why one names none; a statement for each kind. */
export async function findMatches(
  client: Client,
  access: WorkspaceAccess,
  matches: readonly Match[],
): Promise<(number | Refusal)[]> {
  const found = new Map<Match, number | Refusal>();
  const wanted: Wanted[] = [];
  for (const match of matches) {
    const one = wantedOf(access, match);
    if (one instanceof Refusal) found.set(match, one);
    else wanted.push(one);
  }
  const alike = groupedBy(wanted, ({ target, values }) =>
    [target.id, ...[...values.keys()].map(({ id }) => id)].join(),
  );
  for (const group of alike.values()) {
    const ids = await idsOf(client, access, group);
    group.forEach(({ match, target }, index) => found.set(match, onlyOne(match, target, ids.get(index) ?? [])));
  }
  return matches.map((match) => found.get(match) ?? refuse(422, 'This names no record.', undefined, match.at));
}

/** A match in the core's values; by what the person may see only: else it would tell what they may not. */
function wantedOf(access: WorkspaceAccess, match: Match): Wanted | Refusal {
  const { link, by, at } = match;
  const target = linkedTable(access.sight, fieldOf(access.sight, link.id).field)?.table;
  if (!target) return refuse(422, `${link.label} is no link.`, undefined, at);
  const values = new Map<Field, Scalar>();
  for (const [name, value] of Object.entries(by)) {
    const field = fieldNamed(target, name);
    if (!field || !(isEntered(field) || field.still))
      return refuse(422, `${target.label} has no field “${name}” to match with.`, undefined, at);
    const taken = takeValue(value, field.type as EnteredType);
    if (!taken.ok) return refuse(422, `${field.label}: ${taken.problem.message}`, taken.problem.fix, at);
    values.set(field, taken.value);
  }
  return values.size > 0
    ? { match, target, values }
    : refuse(422, 'A match needs at least one field.', 'Write {"match": {"key": "value"}}.', at);
}

/** Up to two ids for each of several matches by the same fields of a table, by their places. */
async function idsOf(
  client: Pool | Client,
  access: WorkspaceAccess,
  group: readonly Pick<Wanted, 'target' | 'values'>[],
): Promise<Map<number, number[]>> {
  const [first] = group;
  if (!first) return new Map();
  const fields = [...first.values.keys()];
  const all = group.map(({ values }) => new Map([...values].map(([{ id }, value]) => [id, value])));
  const arrays = fields.map((field) => sql`${sent(field, all)}::${raw(wireOf(field).type)}[]`);
  const names = ['place', ...fields.map((_, index) => `v${index}`)].map((name) => raw(name));
  const same = fields.map(
    (field, index) => sql`x.${identifier(field.key)} = w.${raw(`v${index}${wireOf(field).cast}`)}`,
  );
  const { rows } = await client.query<{ place: number; id: number }>(
    sql`
      select w.place, f._id as id
      from unnest(${group.map((_, index) => index)}::int[], ${join(arrays)}) w(${join(names)})
      cross join lateral (
        select x._id from ${tableSql(seeing(access).workspace, first.target)} x where ${join(same, ' and ')} limit 2
      ) f
    `,
  );
  return new Map(
    [...groupedBy(rows, ({ place }) => place)].map(([place, found]) => [place, found.map(({ id }) => id)]),
  );
}

function onlyOne({ by, at }: Match, target: Table, [found, second]: readonly number[]): number | Refusal {
  const said = JSON.stringify(by);
  if (found === undefined)
    return refuse(
      422,
      `No record of ${target.label} matches ${said}.`,
      'Correct the value or make that record first.',
      at,
    );
  if (second !== undefined)
    return refuse(422, `Several records of ${target.label} match ${said}.`, 'Match by a unique field.', at);
  return found;
}
