import { dependenciesOf } from '../flow/dependencies';
import { usersOf } from '../flow/graph';
import { writersOf } from '../parts/impact';
import type { FieldId, TableId } from '../types/identity';
import { fieldOf, isSystem, isToMany, linkedTable, overOf, tableOf, typeAs } from '../model/model';
import type { Model } from '../types/model';
import type { Dye, Field } from '../types/field';
import type { Box, Point } from './route';

/** One field as a row of its table's box. */
export interface WeaveRow {
  readonly id: FieldId;
  readonly label: string;
  readonly kind: 'plain' | 'link' | 'linked' | 'calculated';
  /** It is part of a plan, and not made yet. */
  readonly waiting?: true;
}

export interface WeaveTable {
  readonly id: TableId;
  readonly key: string;
  readonly label: string;
  readonly dye: Dye;
  /** The workspace of a table that is drawn as a stub only. */
  readonly home: string | null;
  readonly rows: readonly WeaveRow[];
  /** Fields that are left out of the box. */
  readonly more: number;
  /** It is part of a plan, and not made yet. */
  readonly waiting?: true;
}

/** What runs from the row of one field to that of another. */
export interface WeaveRun {
  readonly id: string;
  readonly from: TableId;
  readonly fromField: FieldId;
  readonly to: TableId;
  readonly toField: FieldId;
}

/** A link as a thread from its row to the row of its other side; an end with many records splits into three strands. */
export interface WeaveThread extends WeaveRun {
  readonly manyFrom: boolean;
  readonly manyTo: boolean;
}

export interface Weave {
  readonly tables: readonly WeaveTable[];
  readonly threads: readonly WeaveThread[];
}

export const boxWidth = 190;
export const headHeight = 30;
export const rowHeight = 20;
/** Beyond so many rows a box says how many more there are; links are always among those shown. */
const mostRows = 14;

const kindOf = (field: Field): WeaveRow['kind'] =>
  field.type.kind === 'link' || isToMany(field)
    ? 'link'
    : field.type.kind === 'counterpart'
      ? 'linked'
      : field.type.kind === 'formula'
        ? 'calculated'
        : 'plain';

/** A model as Weave draws it: tables with the fields that matter, links as threads. */
export function weaveOf(model: Model): Weave {
  const tables: WeaveTable[] = [];
  for (const table of model.tables) {
    if (table.pairs) continue;
    const fields = table.fields.filter((field) => !isSystem(field) && !field.off);
    const ranks = { link: 0, linked: 1, calculated: 2, plain: 3 };
    const chosen = new Set(
      fields
        .toSorted(
          (a, b) => Number(b.id === table.title) - Number(a.id === table.title) || ranks[kindOf(a)] - ranks[kindOf(b)],
        )
        .slice(
          0,
          Math.max(
            mostRows,
            fields.filter((field) => kindOf(field) === 'link' || kindOf(field) === 'linked').length + 1,
          ),
        )
        .map(({ id }) => id),
    );
    const rows = fields
      .filter(({ id }) => chosen.has(id))
      .map((field) => ({ id: field.id, label: field.label, kind: kindOf(field) }));
    tables.push({
      id: table.id,
      key: table.key,
      label: table.label,
      dye: table.dye,
      home: table.home ?? null,
      rows,
      more: fields.length - rows.length,
    });
  }
  const drawn = new Set(tables.map(({ id }) => id));
  const threads: WeaveThread[] = [];
  const paired = new Set<FieldId>();
  for (const table of model.tables)
    for (const field of table.fields) {
      const linked = linkedTable(model, field);
      if (!linked || !drawn.has(table.id) || !drawn.has(linked.table.id)) continue;
      if (field.type.kind === 'link')
        threads.push({
          id: field.id,
          from: table.id,
          fromField: field.id,
          to: linked.table.id,
          toField: field.type.counterpart,
          manyFrom: !field.unique,
          manyTo: false,
        });
      const over = overOf(field);
      if (over === undefined || paired.has(field.id)) continue;
      // Both sides of a link to many are one thread.
      const other = typeAs(fieldOf(model, over).field, 'link').counterpart;
      paired.add(other);
      threads.push({
        id: field.id,
        from: table.id,
        fromField: field.id,
        to: linked.table.id,
        toField: other,
        manyFrom: true,
        manyTo: true,
      });
    }
  // Of other workspaces only what a link leads to or from is drawn.
  const here = new Set(tables.filter(({ home }) => home === null).map(({ id }) => id));
  const linked = threads.filter(({ from, to }) => here.has(from) || here.has(to));
  const ends = new Set(linked.flatMap(({ from, to }) => [from, to]));
  return { tables: tables.filter(({ id, home }) => home === null || ends.has(id)), threads: linked };
}

export const boxHeight = (table: WeaveTable): number =>
  headHeight + table.rows.length * rowHeight + (table.more > 0 ? rowHeight : 0) + 6;

/** How far down the side of its box the thread of a field leaves; at the head when the field is not shown. */
export function portOf(table: WeaveTable, field: FieldId): number {
  const at = table.rows.findIndex(({ id }) => id === field);
  return at < 0 ? headHeight / 2 : headHeight + at * rowHeight + rowHeight / 2;
}

/** The boxes of tables at their places. */
export const boxesOf = (tables: readonly WeaveTable[], places: Readonly<Record<TableId, Point | null>>): Box[] =>
  tables.map((table) => ({
    x: places[table.id]?.x ?? 0,
    y: places[table.id]?.y ?? 0,
    width: boxWidth,
    height: boxHeight(table),
  }));

/** Everything a field comes from and everything that comes of it, over any number of steps, itself in neither. */
export function streamOf(model: Model, start: FieldId): { from: ReadonlySet<FieldId>; to: ReadonlySet<FieldId> } {
  const walk = (next: (id: FieldId) => readonly FieldId[]) => {
    const seen = new Set<FieldId>();
    const queue = [start];
    for (let id = queue.pop(); id !== undefined; id = queue.pop())
      for (const other of next(id)) {
        if (seen.has(other) || other === start) continue;
        seen.add(other);
        queue.push(other);
      }
    return seen;
  };
  const sources = (id: FieldId) => {
    const { type } = fieldOf(model, id).field;
    return type.kind === 'formula' ? dependenciesOf(model, type.formula).on.map(({ field }) => field) : [];
  };
  return { from: walk(sources), to: walk((id) => usersOf(model, id).map(({ field }) => field.id)) };
}

/**
 * Runs from fields to the calculated fields that come directly from them; with `among`, only those between fields of
 * it.
 */
export function flowsOf(model: Model, { tables }: Weave, among: ((id: FieldId) => boolean) | null): WeaveRun[] {
  const drawn = new Set(tables.map(({ id }) => id));
  return model.tables.flatMap((table) =>
    table.fields.flatMap(({ id, type, off }) => {
      if (type.kind !== 'formula' || off || !drawn.has(table.id) || (among && !among(id))) return [];
      const all = [...new Set(dependenciesOf(model, type.formula).on.map(({ field }) => field))];
      // Links that other fields are reached over are drawn as threads already.
      const entered = all.filter((source) => fieldOf(model, source).field.type.kind !== 'link');
      return (entered.length > 0 ? entered : all).flatMap((source) => {
        const from = fieldOf(model, source).table.id;
        return drawn.has(from) && (!among || among(source))
          ? [{ id: `${source} ${id}`, from, fromField: source, to: table.id, toField: id }]
          : [];
      });
    }),
  );
}

/** A table and those that a link leads to or from. */
export function neighboursOf({ threads }: Weave, id: TableId): ReadonlySet<TableId> {
  return new Set([id, ...threads.flatMap(({ from, to }) => (from === id ? [to] : to === id ? [from] : []))]);
}

/**
 * The weave as a list in words, for those who cannot see it: each table with its links, with what its calculated fields
 * come from, and with what routines write.
 */
export function weaveWords(
  model: Model,
  weave: Weave,
): { table: WeaveTable; links: string[]; calculated: string[]; written: string[] }[] {
  const { tables, threads } = weave;
  const words = (field: FieldId, many: boolean, to: TableId) =>
    `${fieldOf(model, field).field.label}: ${many ? 'to several of' : 'to one of'} ${tableOf(model, to).label}`;
  const flows = new Map<FieldId, WeaveRun[]>();
  for (const flow of flowsOf(model, weave, null)) flows.set(flow.toField, [...(flows.get(flow.toField) ?? []), flow]);
  const source = ({ fromField, from, to }: WeaveRun) => {
    const { field, table } = fieldOf(model, fromField);
    return from === to ? field.label : `${table.label}.${field.label}`;
  };
  const writers = ({ id, label }: Field) => {
    const all = writersOf(model, id).map((one) => one.words);
    return all.length > 0 ? [`${label}: written by ${all.join(' and ')}`] : [];
  };
  return tables.map((table) => ({
    table,
    links: threads.flatMap((thread) => [
      ...(thread.from === table.id ? [words(thread.fromField, thread.manyTo, thread.to)] : []),
      ...(thread.to === table.id && thread.from !== table.id
        ? [words(thread.toField, thread.manyFrom, thread.from)]
        : []),
    ]),
    calculated: tableOf(model, table.id).fields.flatMap(({ id, label }) => {
      const from = flows.get(id);
      return from ? [`${label}: from ${from.map(source).join(', ')}`] : [];
    }),
    written: tableOf(model, table.id).fields.flatMap(writers),
  }));
}
