import { bad, good, type Result } from '../../base/problem';
import { counted } from '../../base/counted';
import { groupedBy } from '../../base/grouped';
import { fieldOf, isEntered, isFed, isToMany, tableOf } from '../../model/model';
import type { Change } from '../../types/change';
import type { Model, Table } from '../../types/model';
import type { FilledField } from '../../types/recordChange';
import type { Join, JoinedRecords } from '../../types/transfer';
import { readAll, readField, readTable, tableKey } from '../../filled/written';
import type { Compiled, LinkLine, WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

const pairsOf = ({ groups }: Join) =>
  groups.flatMap(({ winner, losers }) => losers.map((loser) => [loser, winner] as const));

/** All links that lead to a table, pairs of links to many among them; records of feeds go by themselves. */
const linksTo = (model: Model, table: Table) =>
  table.fields
    .flatMap(({ type }) => (type.kind === 'counterpart' ? [fieldOf(model, type.link)] : []))
    .filter(({ field }) => !isFed(field));

function compile(model: Model, transfer: Join): Result<Compiled> {
  const table = tableOf(model, transfer.table);
  const pairs = pairsOf(transfer);
  const changes: Change[] = [];
  const links: LinkLine[] = [];
  for (const { field, table: from } of linksTo(model, table)) {
    changes.push({ do: 'pointLinks', table: from.id, link: field.id, cameOf: pairs, into: field.id });
    links.push({
      link: `${from.label}.${field.label}`,
      fate: 'pointed',
      words: from.pairs ? 'links of all of them are those of the one that stays' : 'points at the one that stays',
    });
  }
  // What stood only once may be taken over once the others are gone.
  changes.push({ do: 'removeRecords', table: table.id, cameOf: pairs, joins: true });
  const chosen = transfer.groups.flatMap(({ winner, values }) => values.map((one) => ({ winner, ...one })));
  const set = [...groupedBy(chosen, ({ field }) => field)].map(([field, ones]): FilledField => {
    const joined = ones.filter(({ from }) => from === 'all');
    const group = (winner: number): JoinedRecords | undefined => transfer.groups.find((one) => one.winner === winner);
    return joined.length > 0
      ? {
          field,
          from: {
            is: 'joined',
            with: joined.flatMap(({ winner }) =>
              (group(winner)?.losers ?? []).map((loser) => [winner, loser] as const),
            ),
          },
        }
      : { field, from: { is: 'taken', from: ones.map(({ winner, from }) => [winner, Number(from)] as const) } };
  });
  if (set.length > 0)
    changes.push({
      do: 'setValues',
      table: table.id,
      chosen: { where: null, only: [...new Set(chosen.map(({ winner }) => winner))] },
      set,
    });
  return good({ changes, links, formulas: [], problems: [] });
}

function readGroup(table: Table, json: Written, at: string): Result<JoinedRecords> {
  const [winner, losers] = [json.winner as number, json.losers as number[]];
  const all = [winner, ...losers];
  if (new Set(all).size < all.length) return bad('A record is in a group twice.', 'Leave it out once.', `${at}/losers`);
  const values: JoinedRecords['values'][number][] = [];
  for (const [key, from] of Object.entries((json.values ?? {}) as Readonly<Record<string, number | 'all'>>)) {
    const field = readField(table, key, `${at}/values/${key}`);
    if (!field.ok) return field;
    if (!isEntered(field.value) || isToMany(field.value))
      return bad(`“${field.value.label}” is not filled in by people.`, 'Leave it out.', `${at}/values/${key}`);
    if (from === 'all' ? field.value.type.kind !== 'options' : !all.includes(from))
      return bad(
        `“${field.value.label}” is taken from no record of the group.`,
        'Name one of them.',
        `${at}/values/${key}`,
      );
    if (from !== winner) values.push({ field: field.value.id, from });
  }
  return good({ winner, losers, values });
}

export const join: WorkDescriptor<'join'> = {
  label: 'Join duplicates',
  help: 'Makes one record of several that are the same thing; all links and lines go to the one that stays.',
  title: (model, transfer) =>
    `${counted(pairsOf(transfer).length, 'duplicate')} joined in ${tableOf(model, transfer.table).label}`,
  compile,
  print: (model, { table, groups }) => ({
    work: 'join',
    table: tableKey(tableOf(model, table)),
    groups: groups.map(({ winner, losers, values }) => ({
      winner,
      losers,
      values: Object.fromEntries(values.map(({ field, from }) => [fieldOf(model, field).field.key, from])),
    })),
  }),
  read(model, json) {
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const groups = readAll(json.groups, '/groups', (one, at) => readGroup(table.value, one, at));
    if (!groups.ok) return groups;
    const all = groups.value.flatMap(({ winner, losers }) => [winner, ...losers]);
    if (new Set(all).size < all.length) return bad('A record is in two groups.', 'Make one group of both.', '/groups');
    if (groups.value.length === 0) return bad('No group is to be joined.', 'Confirm one first.', '/groups');
    return good({ work: 'join', table: table.value.id, groups: groups.value });
  },
};
