import { untrack } from 'svelte';
import type { RecordSet } from './recordSet.svelte';

/** Whether two sets have the same records in the same order, and at most other fields of them. */
const isSameOrder = (one: RecordSet, other: RecordSet): boolean =>
  one.workspace === other.workspace &&
  one.table === other.table &&
  one.query.filter === other.query.filter &&
  one.query.sort === other.query.sort &&
  one.query.of === other.query.of;

/**
 * The set that is asked for, kept up with what others do. Where only its fields are other ones, as somebody changed the
 * table, the one before is shown until the new one has its first records: without them there are no lines, and what is
 * typed meanwhile would go elsewhere.
 */
export class SteadySet {
  private last: RecordSet | null = null;
  private readonly asked: RecordSet;
  readonly current: RecordSet;

  constructor(make: () => RecordSet) {
    this.asked = $derived(make());
    this.current = $derived.by(() => {
      const { asked } = this;
      const waits = !asked.opened && asked.problem === null && this.last && isSameOrder(this.last, asked);
      if (!waits) this.last = asked;
      return this.last ?? asked;
    });
    $effect(() => void this.asked.open());
  }

  /** Takes note of a change that somebody made. */
  hear(batch: number | null): void {
    untrack(() => new Set([this.asked, this.current]).forEach((set) => set.hear(batch)));
  }
}
