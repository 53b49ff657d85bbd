import type { FieldId, TableId } from '$core/types/identity';
import { NeedsExclusive } from '../access/lock';
import type { WorkspaceState } from '../access/workspaceState';
import type { Client } from '../database/pool';
import type { ReportProgress } from '../database/progress';
import type { Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { Row } from '../sql/statement';

/** Beyond this many affected records a step works over the whole table, in a transaction that stands alone. */
export const mostLimited = 20_000;

export type Ids = ReadonlySet<number> | 'all';

/** What one step of a write did. It is returned, and merged by whoever called the step. */
export interface Effects {
  /** Records whose value of a field changed. */
  readonly changed?: readonly (readonly [FieldId, Iterable<number> | 'all'])[];
  /** Where a record's link points, or pointed before the edit. */
  readonly targets?: readonly (readonly [link: FieldId, record: number, target: number | null])[];
  /** New records: every calculated field of theirs has yet to be worked out. */
  readonly made?: readonly (readonly [TableId, readonly number[]])[];
  /** Records that the transaction holds `for no key update` since. */
  readonly locked?: readonly (readonly [TableId, Iterable<number>])[];
}

/** What a write did so far, as those see it who do the next step. */
export interface Known {
  readonly changedFields: () => readonly FieldId[];
  readonly has: (field: FieldId) => boolean;
  readonly of: (field: FieldId) => Ids;
  /** The targets a record's link has or had; undefined where they were not read. */
  readonly targetsOf: (link: FieldId, record: number) => ReadonlySet<number> | undefined;
  readonly madeIn: (table: TableId) => readonly number[];
  readonly areLocked: (table: TableId, ids: Iterable<number>) => boolean;
}

const none: ReadonlySet<number> = new Set();

/** The effects of the steps done so far. Only whoever runs the steps has it in this form; the steps read it. */
export class Gathered implements Known {
  private readonly fields = new Map<FieldId, Set<number> | 'all'>();
  private readonly targets = new Map<FieldId, Map<number, Set<number>>>();
  private readonly locked = new Map<TableId, Set<number>>();
  private readonly made = new Map<TableId, readonly number[]>();

  /** `before`: what was known already, to which this adds. */
  constructor(
    effects: readonly Effects[] = [],
    private readonly before?: Known,
  ) {
    for (const one of effects) this.merge(one);
  }

  merge({ changed = [], targets = [], made = [], locked = [] }: Effects): void {
    for (const [field, ids] of changed) this.change(field, ids);
    for (const [link, record, target] of targets) {
      const known = entry(entry(this.targets, link, newTargets), record, newSet);
      if (target !== null) known.add(target);
    }
    for (const [table, ids] of made) this.made.set(table, [...(this.made.get(table) ?? []), ...ids]);
    for (const [table, ids] of locked) {
      const known = entry(this.locked, table, newSet);
      for (const id of ids) known.add(id);
    }
  }

  private change(field: FieldId, ids: Iterable<number> | 'all'): void {
    const known = this.fields.get(field);
    if (known === 'all') return;
    if (ids === 'all') this.fields.set(field, 'all');
    else {
      const set = known ?? new Set<number>();
      for (const id of ids) set.add(id);
      if (set.size > 0) this.fields.set(field, set.size > mostLimited ? 'all' : set);
    }
  }

  changedFields = (): readonly FieldId[] => [
    ...new Set([...(this.before?.changedFields() ?? []), ...this.fields.keys()]),
  ];
  has = (field: FieldId): boolean => this.fields.has(field) || (this.before?.has(field) ?? false);
  of = (field: FieldId): Ids => {
    const [own, earlier] = [this.fields.get(field), this.before?.of(field)];
    if (own === undefined || earlier === undefined) return own ?? earlier ?? none;
    return own === 'all' || earlier === 'all' ? 'all' : new Set([...earlier, ...own]);
  };
  targetsOf = (link: FieldId, record: number): ReadonlySet<number> | undefined => {
    const [own, earlier] = [this.targets.get(link)?.get(record), this.before?.targetsOf(link, record)];
    return own && earlier ? new Set([...earlier, ...own]) : (own ?? earlier);
  };
  madeIn = (table: TableId): readonly number[] => [
    ...(this.before?.madeIn(table) ?? []),
    ...(this.made.get(table) ?? []),
  ];
  areLocked = (table: TableId, ids: Iterable<number>): boolean => {
    const held = this.locked.get(table) ?? none;
    for (const id of ids) if (!held.has(id) && !this.before?.areLocked(table, [id])) return false;
    return true;
  };
}

const newTargets = (): Map<number, Set<number>> => new Map();
const newSet = (): Set<number> => new Set();

/** The value under a key, made where there is none. */
function entry<K, V>(map: Map<K, V>, key: K, make: () => V): V {
  const known = map.get(key);
  if (known !== undefined) return known;
  const made = make();
  map.set(key, made);
  return made;
}

/** What a recalculation works with. */
export interface Recalculation {
  readonly client: Client;
  readonly workspace: WorkspaceState;
  /** Whether the transaction holds the workspace alone, so that no record needs a lock of its own. */
  readonly exclusive: boolean;
  /** Calculated fields to work out for every record, whatever changed. */
  readonly anew?: ReadonlySet<FieldId>;
  readonly reportProgress?: ReportProgress | undefined;
  /** Whether to stop and ask where the consequences reach more than `mostLimited` records. */
  readonly ask?: boolean | undefined;
}

/** Thrown where an edit reaches so many records that whoever makes it is asked first. */
export class ReachesMany extends Error {}

/** Work over a whole table is asked about first, where somebody waits, and done by a transaction that stands alone. */
export function requireAlone({ ask, exclusive }: Recalculation): void {
  if (ask) throw new ReachesMany();
  if (!exclusive) throw new NeedsExclusive();
}

export const linksOf = (table: Table): readonly Field[] => table.fields.filter(({ type }) => type.kind === 'link');

/** Where the links of these records of a table point. */
export const targetsIn = (table: Table, rows: readonly Row[]): NonNullable<Effects['targets']> =>
  linksOf(table).flatMap(({ id, key }) =>
    rows.map((row) => [id, row._id as number, row[key] as number | null] as const),
  );
