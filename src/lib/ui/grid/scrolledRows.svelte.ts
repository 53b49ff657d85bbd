import type { RecordSet } from '../records/recordSet.svelte';

/** Which lines of a list of equal height are in sight, and the rows of a set that have to be there for them. */
export class ScrolledRows {
  top = $state(0);
  height = $state(600);

  constructor(
    private readonly place: () => { readonly set: RecordSet; readonly rowHeight: number; readonly perLine: number },
    private readonly overscan = 6,
  ) {}

  readonly lines = $derived.by(() => Math.ceil(this.place().set.rows / this.place().perLine));
  readonly first = $derived.by(() => Math.max(0, Math.floor(this.top / this.place().rowHeight) - this.overscan));
  readonly end = $derived.by(() =>
    Math.min(this.lines, Math.ceil((this.top + this.height) / this.place().rowHeight) + this.overscan),
  );
  readonly inSight = $derived.by(() =>
    Array.from({ length: Math.max(0, this.end - this.first) }, (_, index) => this.first + index),
  );

  /** Asks the set for what is in sight; call it in an effect. */
  want(): void {
    const { set, perLine } = this.place();
    set.want(this.first * perLine, Math.max(this.first * perLine, this.end * perLine - 1));
  }
}
