import type { FieldId, TableId } from '$core/model/identity';
import type { Table } from '$core/types/model';
import type { WorkspaceState } from '../access/seat';
import type { Client } from '../database/pool';
import type { Tell } from '../database/progress';

/** Beyond this many affected records a step works over the whole table, in a transaction that stands alone. */
export const mostLimited = 20_000;

export type Ids = ReadonlySet<number> | 'all';

/**
 * What an edit changed, as it is found out step by step: for each field the records whose value changed, and for links
 * the targets those records have or had.
 */
export class ChangedValues {
  private readonly fields = new Map<FieldId, Set<number> | 'all'>();
  private readonly targets = new Map<FieldId, Map<number, Set<number>>>();
  private readonly locked = new Map<TableId, Set<number>>();
  private readonly made = new Map<TableId, readonly number[]>();

  add(field: FieldId, ids: Iterable<number> | 'all'): void {
    const known = this.fields.get(field);
    if (known === 'all') return;
    if (ids === 'all') this.fields.set(field, 'all');
    else {
      const set = known ?? new Set<number>();
      for (const id of ids) set.add(id);
      if (set.size > 0) this.fields.set(field, set.size > mostLimited ? 'all' : set);
    }
  }

  /** The record's link points, or pointed before the edit, at this target. */
  addTarget(link: FieldId, id: number, target: number | null): void {
    const ofLink = this.targets.get(link) ?? new Map<number, Set<number>>();
    this.targets.set(link, ofLink);
    const known = ofLink.get(id) ?? new Set<number>();
    if (target !== null) known.add(target);
    ofLink.set(id, known);
  }

  /** New records: every calculated field of theirs has yet to be worked out. */
  addMade(table: Table, ids: readonly number[]): void {
    if (ids.length === 0) return;
    this.made.set(table.id, [...(this.made.get(table.id) ?? []), ...ids]);
    for (const field of table.fields) this.add(field.id, ids);
  }

  /** Records that the transaction holds `for no key update` already. */
  addLocked(table: TableId, ids: Iterable<number>): void {
    const known = this.locked.get(table) ?? new Set<number>();
    this.locked.set(table, known);
    for (const id of ids) known.add(id);
  }
  lockedOf = (table: TableId): ReadonlySet<number> | undefined => this.locked.get(table);

  madeIn = (table: Table): readonly number[] => this.made.get(table.id) ?? [];
  of = (field: FieldId): Ids => this.fields.get(field) ?? new Set<number>();
  has = (field: FieldId): boolean => this.fields.has(field);
  targetsOf = (link: FieldId, id: number): ReadonlySet<number> | undefined => this.targets.get(link)?.get(id);
  changedFields = (): readonly FieldId[] => [...this.fields.keys()];
}

export interface Recalculation {
  readonly client: Client;
  readonly workspace: WorkspaceState;
  /** Whether the transaction holds the workspace alone, so that no record needs a lock of its own. */
  readonly whole: boolean;
  readonly changed: ChangedValues;
  /** Calculated fields to work out for every record, whatever changed. */
  readonly anew?: ReadonlySet<FieldId>;
  readonly tell?: Tell | undefined;
  /** Whether to stop and ask where the consequences reach more than `mostLimited` records. */
  readonly ask?: boolean;
}

/** Thrown where an edit reaches so many records that whoever makes it is asked first. */
export class ReachesMany extends Error {}
