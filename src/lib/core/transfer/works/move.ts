import { bad, good, type Result } from '../../base/problem';
import { applyChanges } from '../../changes/change';
import { likeness } from '../../intake/matchFields';
import { fieldOf, isFed, tableOf, typeAs } from '../../model/model';
import type { Change } from '../../types/change';
import type { Field } from '../../types/field';
import type { FieldId } from '../../types/identity';
import type { Model, Table } from '../../types/model';
import type { FilledField } from '../../types/recordChange';
import type { LinkFate, Move, MovedRecords } from '../../types/transfer';
import { lineUp } from '../lineUp';
import { pathTo } from '../../filled/path';
import { printFilled, readAll, readField, readFilled, readTable, tableKey } from '../../filled/written';
import { printTaken, readTaken } from '../names';
import type { Compiled, LinkLine, WorkDescriptor } from '../work';
import type { Written } from '../../filled/written';

/**
 * The links that lead to a table, with the tables that have them: its lines, and the pairs of links to many. Records of
 * feeds go with it by themselves.
 */
const linksTo = (model: Model, table: Table) =>
  table.fields
    .flatMap(({ type }) => (type.kind === 'counterpart' && type.over === undefined ? [fieldOf(model, type.link)] : []))
    .concat(
      table.fields.flatMap(({ type }) =>
        type.kind === 'counterpart' && type.over !== undefined ? [fieldOf(model, type.link)] : [],
      ),
    )
    .filter(({ field }) => !isFed(field));

/** How the copies of a table's records are called among the changes; each table is on the way once. */
const copiesOf = ({ from }: MovedRecords): string => from;

/** Fields of records that move with others: what they point at has moved, too. */
const pointing = (field: Field, source: Field, copies: string): FilledField => ({
  field: field.id,
  from: { is: 'copy', copies, of: pathTo(source) },
});

/**
 * What is proposed for records that point at those which move: they follow to the table that is under the target as
 * theirs is under the source; else another link of theirs that leads to the target takes over; else the link is cleared,
 * or the record stays behind as a copy where it must not be blank.
 */
function proposedFate(
  model: Model,
  link: Field,
  from: Table,
  to: Table,
  copy: boolean,
  above: ReadonlyMap<string, string>,
): LinkFate | null {
  const owner = fieldOf(model, link.id).table;
  if (owner.id === from.id || above.has(owner.id)) return copy ? null : { link: link.id, do: 'clear' };
  const under = linksTo(model, to).filter(({ table }) => table.id !== owner.id && table.id !== to.id);
  const best = under
    .map((one) => ({
      ...one,
      score: likeness(one.table.label, owner.label) * 0.7 + likeness(one.field.label, link.label) * 0.3,
    }))
    .filter(({ table }) => (table.pairs === true) === (owner.pairs === true))
    .toSorted((a, b) => b.score - a.score)[0];
  if (best && best.score >= 0.6) {
    const records = proposed(model, owner, best.table, copy, { parent: from, link, into: best.field, above });
    return { link: link.id, do: 'follow', records };
  }
  if (copy) return null;
  const other = owner.fields.find(({ id, type }) => id !== link.id && type.kind === 'link' && type.to === to.id);
  if (other) return { link: link.id, do: 'point', into: other.id };
  if (owner.pairs) return { link: link.id, do: 'delete' };
  return { link: link.id, do: link.required === true ? 'keep' : 'clear' };
}

interface Under {
  readonly parent: Table;
  readonly link: Field;
  readonly into: Field;
  /** The tables that are on the way already, each with the one that its records go to. */
  readonly above: ReadonlyMap<string, string>;
}

/** How records of a table go to another, lined up, with what becomes of the links to them. */
function proposed(model: Model, from: Table, to: Table, copy: boolean, under?: Under): MovedRecords {
  const above = onTheWay(from, to, under);
  const fields = lineUp(model, to, from).filter(({ field }) => field !== under?.into.id);
  return {
    from: from.id,
    to: to.id,
    fields: withOwnLinks(model, above, [
      ...(under ? [pointing(under.into, under.link, under.parent.id)] : []),
      ...fields,
    ]),
    links: linksTo(model, from).flatMap(({ field }) => {
      if (field.id === under?.link.id) return [];
      return proposedFate(model, field, from, to, copy, above) ?? [];
    }),
  };
}

const onTheWay = (from: Table, to: Table, under?: Under): ReadonlyMap<string, string> =>
  new Map([...(under?.above ?? []), [from.id, to.id] as const]);

/** Links to what moves as well are links to what comes of it. */
const withOwnLinks = (
  model: Model,
  above: ReadonlyMap<string, string>,
  fields: readonly FilledField[],
): FilledField[] =>
  fields.map((one) => {
    const { field } = fieldOf(model, one.field);
    if (one.from.is !== 'formula' || field.type.kind !== 'link') return one;
    const { formula } = one.from;
    const source = formula.do === 'field' ? fieldOf(model, formula.through[0] ?? formula.field).field : null;
    return source?.type.kind === 'link' && above.get(source.type.to) === field.type.to
      ? pointing(field, source, source.type.to)
      : one;
  });

/** How deep each table stands under the one that moves, where it stands deepest. */
function depthsOf(one: MovedRecords, depth = 0, depths = new Map<string, number>()): ReadonlyMap<string, number> {
  depths.set(one.from, Math.max(depth, depths.get(one.from) ?? 0));
  for (const fate of one.links) if (fate.do === 'follow') depthsOf(fate.records, depth + 1, depths);
  return depths;
}

/** A table that would come along in several places does so in the deepest; its other links go with its records. */
function eachOnce(model: Model, top: MovedRecords, copy: boolean): MovedRecords {
  const depths = depthsOf(top);
  const seen = new Set<string>();
  const pruned = (one: MovedRecords, depth: number): MovedRecords => ({
    ...one,
    links: one.links.flatMap((fate): readonly LinkFate[] => {
      if (fate.do !== 'follow') return [fate];
      const { from } = fate.records;
      if (depths.get(from) === depth + 1 && !seen.has(from)) {
        seen.add(from);
        return [{ ...fate, records: pruned(fate.records, depth + 1) }];
      }
      if (copy) return [];
      const { field, table } = fieldOf(model, fate.link);
      return [{ link: fate.link, do: table.pairs ? 'delete' : field.required === true ? 'keep' : 'clear' }];
    }),
  });
  return pruned(top, 0);
}

const nameOf = (model: Model, id: string) => {
  const { field, table } = fieldOf(model, id);
  return `${table.label}.${field.label}`;
};

function* copied(model: Model, { moved, where, records, copy }: Move): Generator<Change> {
  const make = function* (
    one: MovedRecords,
    chosen: Extract<Change, { do: 'copyRecords' }>['chosen'],
  ): Generator<Change> {
    yield {
      do: 'copyRecords',
      table: one.to,
      from: one.from,
      chosen,
      values: one.fields,
      copies: copiesOf(one),
      ...(copy ? {} : { moves: true }),
    };
    for (const fate of one.links)
      if (fate.do === 'follow')
        yield* make(fate.records, { where: null, under: { link: fate.link, copies: copiesOf(one) } });
  };
  yield* make(moved, { where, ...(records ? { only: records } : {}) });
}

/**
 * What becomes of the links to records that move, and then of these: what is under others goes before them. Of those
 * that come along some may be refused where they go: their link becomes blank or, where it must be filled, keeps a copy.
 */
function* leaving(model: Model, one: MovedRecords): Generator<Change> {
  const cameOf = copiesOf(one);
  const kept: FieldId[] = [];
  for (const fate of one.links) if (fate.do === 'follow') yield* leaving(model, fate.records);
  for (const fate of one.links) {
    const { table, field } = fieldOf(model, fate.link);
    const left = fate.do !== 'follow' ? fate.do : table.pairs ? 'delete' : field.required ? 'keep' : 'clear';
    if (left === 'keep') kept.push(fate.link);
    else if (left === 'delete') yield { do: 'removeRecords', table: table.id, cameOf, by: fate.link };
    else
      yield {
        do: 'pointLinks',
        table: table.id,
        link: fate.link,
        cameOf,
        into: fate.do === 'point' ? fate.into : null,
      };
  }
  yield { do: 'removeRecords', table: one.from, cameOf, ...(kept.length > 0 ? { unlessLinkedBy: kept } : {}) };
}

function linesOf(model: Model, one: MovedRecords): LinkLine[] {
  return one.links.flatMap((fate): LinkLine[] => {
    const link = nameOf(model, fate.link);
    switch (fate.do) {
      case 'follow':
        return [
          { link, fate: 'follows', words: `its records come along to ${tableOf(model, fate.records.to).label}` },
          ...linesOf(model, fate.records),
        ];
      case 'point':
        return [{ link, fate: 'pointed', words: `goes over to ${nameOf(model, fate.into)}` }];
      case 'clear':
        return [{ link, fate: 'cleared', words: 'becomes blank' }];
      case 'delete':
        return [{ link, fate: 'deleted', words: 'its records are deleted' }];
      case 'keep':
        return [{ link, fate: 'keptBehind', words: 'keeps what it points at: a copy stays behind' }];
    }
  });
}

/** Why a link cannot have the fate that was chosen. */
function checkFates(model: Model, one: MovedRecords): Result<true> {
  for (const fate of one.links) {
    const { field, table } = fieldOf(model, fate.link);
    if (fate.do === 'clear' && field.required === true)
      return bad(
        `“${field.label}” of ${table.label} must be filled, so it cannot become blank.`,
        'Let its records come along, or let a copy stay behind.',
        '/links',
      );
    if (fate.do === 'point' && typeAs(fieldOf(model, fate.into).field, 'link').to !== one.to)
      return bad(`${nameOf(model, fate.into)} does not lead to ${tableOf(model, one.to).label}.`, undefined, '/links');
    if (fate.do === 'follow') {
      const within = checkFates(model, fate.records);
      if (!within.ok) return within;
    }
  }
  return good(true);
}

function compile(model: Model, transfer: Move): Result<Compiled> {
  const made = applyChanges(model, transfer.make);
  if (!made.ok) return made;
  const after = made.value.model;
  const { moved, copy } = transfer;
  if (moved.from === moved.to && !copy)
    return bad('These records are in this table already.', 'Choose another table, or copy them.', '/to');
  const fates = copy ? good<true>(true) : checkFates(after, moved);
  if (!fates.ok) return fates;
  return good({
    changes: [...transfer.make, ...copied(after, transfer), ...(copy ? [] : leaving(after, moved))],
    links: linesOf(after, moved),
    formulas: [],
    problems: [],
  });
}

function printMoved(model: Model, one: MovedRecords): Written {
  return {
    to: tableKey(tableOf(model, one.to)),
    fields: one.fields.flatMap((field) => printFilled(model, field) ?? []),
    links: one.links.map((fate) => ({
      table: tableKey(fieldOf(model, fate.link).table),
      link: fieldOf(model, fate.link).field.key,
      do: fate.do,
      ...(fate.do === 'point' ? { into: fieldOf(model, fate.into).field.key } : {}),
      ...(fate.do === 'follow' ? printMoved(model, fate.records) : {}),
    })),
  };
}

/** Reads how records of a table go to another; what is left out is proposed. */
function readMoved(
  model: Model,
  from: Table,
  to: Table,
  json: Written,
  at: string,
  copy: boolean,
  under?: Under,
): Result<MovedRecords> {
  const all = proposed(model, from, to, copy, under);
  let { fields, links } = all;
  if (json.fields !== undefined) {
    const read = readAll(json.fields, `${at}/fields`, (one, place) => readFilled(model, to, from, one, place));
    if (!read.ok) return read;
    const twice = read.value.find(({ field }, index) => read.value.findIndex((one) => one.field === field) < index);
    if (twice)
      return bad(`“${fieldOf(model, twice.field).field.label}” is filled twice.`, 'Leave one out.', `${at}/fields`);
    const own = all.fields.filter(({ from: source }) => source.is === 'copy');
    const written = withOwnLinks(model, onTheWay(from, to, under), read.value);
    fields = [...own.filter(({ field }) => !written.some((one) => one.field === field)), ...written];
  }
  if (json.links !== undefined) {
    const above = onTheWay(from, to, under);
    const read = readAll(json.links, `${at}/links`, (one, place) => readFate(model, from, to, one, place, copy, above));
    if (!read.ok) return read;
    const said = new Set(read.value.map(({ link }) => link));
    links = [...read.value, ...all.links.filter(({ link }) => !said.has(link))];
  }
  return good({ from: from.id, to: to.id, fields, links });
}

function readFate(
  model: Model,
  from: Table,
  to: Table,
  json: Written,
  at: string,
  copy: boolean,
  above: ReadonlyMap<string, string>,
): Result<LinkFate> {
  const owner = readTable(model, json.table, `${at}/table`);
  if (!owner.ok) return owner;
  const link = readField(owner.value, json.link, `${at}/link`);
  if (!link.ok) return link;
  if (link.value.type.kind !== 'link' || link.value.type.to !== from.id)
    return bad(`“${link.value.label}” does not lead to ${from.label}.`, undefined, `${at}/link`);
  switch (json.do) {
    case 'point': {
      const into = readField(owner.value, json.into, `${at}/into`);
      if (!into.ok) return into;
      return into.value.type.kind === 'link' && into.value.type.to === to.id
        ? good({ link: link.value.id, do: 'point', into: into.value.id })
        : bad(`“${into.value.label}” does not lead to ${to.label}.`, 'Choose a link that does.', `${at}/into`);
    }
    case 'follow': {
      const target = readTable(model, json.to, `${at}/to`);
      if (!target.ok) return target;
      const into = target.value.fields.find(({ type }) => type.kind === 'link' && type.to === to.id);
      if (!into)
        return bad(`${target.value.label} has no link to ${to.label}.`, 'Choose a table that has.', `${at}/to`);
      if (above.has(owner.value.id))
        return bad(`${owner.value.label} is on the way already.`, 'Let this link become blank.', `${at}/do`);
      const records = readMoved(model, owner.value, target.value, json, at, copy, {
        parent: from,
        link: link.value,
        into,
        above,
      });
      return records.ok ? good({ link: link.value.id, do: 'follow', records: records.value }) : records;
    }
    default:
      return good({ link: link.value.id, do: json.do as 'clear' | 'keep' | 'delete' });
  }
}

export const move: WorkDescriptor<'move'> = {
  label: 'Move or copy records',
  help: 'Takes records to another table, of this workspace or of another, with what hangs on them.',
  title(model, { moved, copy, make }) {
    const after = applyChanges(model, make);
    const known = after.ok ? after.value.model : model;
    return `Records of ${tableOf(known, moved.from).label} ${copy ? 'copied' : 'moved'} to ${tableOf(known, moved.to).label}`;
  },
  compile,
  print(model, transfer) {
    const after = applyChanges(model, transfer.make);
    const known = after.ok ? after.value.model : model;
    return {
      work: 'move',
      copy: transfer.copy,
      ...printTaken(known, transfer),
      ...(transfer.make.length > 0 ? { make: transfer.make } : {}),
      ...printMoved(known, transfer.moved),
    };
  },
  read(given, json) {
    const make = (json.make ?? []) as readonly Change[];
    const made = applyChanges(given, make);
    if (!made.ok) return made;
    const { model } = made.value;
    const table = readTable(model, json.table, '/table');
    if (!table.ok) return table;
    const to = readTable(model, json.to, '/to');
    if (!to.ok) return to;
    const taken = readTaken(model, table.value, json);
    if (!taken.ok) return taken;
    const copy = json.copy === true;
    const moved = readMoved(model, table.value, to.value, json, '', copy);
    if (!moved.ok) return moved;
    return good({ work: 'move', ...taken.value, copy, make, moved: eachOnce(model, moved.value, copy) });
  },
};
