import { call, workspacePath, type Answer, type Refused } from '../api';

export interface ShownRecord {
  readonly id: number;
  readonly version: number;
  readonly values: Readonly<Record<string, unknown>>;
}

interface Page {
  readonly records: readonly ShownRecord[];
  readonly next: string | null;
  readonly count?: number;
}

const pageSize = 200;
/** Records that are looked at again after a change; those further down are read again when they are reached. */
const mostRefreshed = 1000;
/** How long a value that changed stays marked, in milliseconds. */
const markedFor = 1800;

/** The records of one table by filter and sort, as far as they have been scrolled to; the page's only copy of them. */
export class RecordSet {
  records = $state.raw<readonly ShownRecord[]>([]);
  count = $state<number | null>(null);
  loading = $state(false);
  problem = $state<string | null>(null);
  /** `id.key` of values that have just changed. */
  marked = $state.raw<ReadonlySet<string>>(new Set());
  /** The one asked for by its number, which need not be among those read so far. */
  private single = $state.raw<ShownRecord | null>(null);
  private next: string | null = null;
  private asked = 0;

  constructor(
    readonly workspace: string,
    readonly table: string,
    readonly filter: string,
    readonly sort: string,
    /** Says which fields the records have; another shape is another set. */
    readonly shape: string,
  ) {}

  get complete(): boolean {
    return this.next === null && !this.loading;
  }

  withId(id: number): ShownRecord | undefined {
    return this.records.find((one) => one.id === id) ?? (this.single?.id === id ? this.single : undefined);
  }

  /** Reads one record by its number; the refusal when it is not there. */
  async read(id: number): Promise<Refused | null> {
    const answer = await call<ShownRecord>('GET', this.path(`/${id}`));
    if (answer.ok) this.single = answer.value;
    return answer.ok ? null : answer.problem;
  }

  private path(rest = ''): string {
    return workspacePath(this.workspace, `/tables/${this.table}/records${rest}`);
  }

  private ask(limit: number, after: string | null, count: boolean): Promise<Answer<Page>> {
    const query = new URLSearchParams({ limit: String(limit), sort: this.sort, filter: this.filter });
    if (after) query.set('after', after);
    if (count) query.set('count', 'exact');
    return call<Page>('GET', this.path(`?${query}`));
  }

  async open(): Promise<void> {
    this.loading = true;
    const [answer] = await Promise.all([this.ask(pageSize, null, false), this.recount()]);
    this.loading = false;
    if (!answer.ok) return void (this.problem = [answer.problem.message, answer.problem.mend].filter(Boolean).join(' '));
    this.records = answer.value.records;
    this.next = answer.value.next;
  }

  /** Counting takes its own time; the records do not wait for it. */
  private async recount(): Promise<void> {
    const answer = await this.ask(1, null, true);
    if (answer.ok) this.count = answer.value.count ?? null;
  }

  async more(): Promise<void> {
    if (this.loading || this.next === null) return;
    this.loading = true;
    const answer = await this.ask(pageSize, this.next, false);
    this.loading = false;
    if (!answer.ok) return void (this.problem = answer.problem.message);
    this.records = [...this.records, ...answer.value.records];
    this.next = answer.value.next;
  }

  /** Reads what is shown again and marks what differs. */
  async refresh(): Promise<void> {
    const mine = ++this.asked;
    const wanted = Math.min(Math.max(this.records.length, pageSize), mostRefreshed);
    const [answer] = await Promise.all([this.ask(wanted, null, false), this.recount(), this.single && this.read(this.single.id)]);
    if (mine !== this.asked || !answer.ok) return;
    const before = new Map(this.records.map((record) => [record.id, record]));
    const changed = answer.value.records.flatMap((record) => {
      const old = before.get(record.id);
      return old
        ? Object.keys(record.values)
            .filter((key) => JSON.stringify(old.values[key]) !== JSON.stringify(record.values[key]))
            .map((key) => `${record.id}.${key}`)
        : [];
    });
    // A record that did not change stays the same object, so that its row is not drawn again.
    this.records = answer.value.records.map((record) => {
      const old = before.get(record.id);
      return old && old.version === record.version && JSON.stringify(old.values) === JSON.stringify(record.values) ? old : record;
    });
    this.next = answer.value.next;
    this.mark(changed);
  }

  private mark(cells: readonly string[]): void {
    if (cells.length === 0) return;
    this.marked = new Set([...this.marked, ...cells]);
    setTimeout(() => (this.marked = new Set([...this.marked].filter((cell) => !cells.includes(cell)))), markedFor);
  }

  /**
   * Writes one value; the version makes sure that nobody's change is overwritten unseen. With `ask` it is refused first,
   * with counts, where very much would be calculated anew.
   */
  async write(
    record: ShownRecord,
    values: Record<string, unknown>,
    { overwrite = false, ask = true } = {},
  ): Promise<Answer<{ batch: number; records: readonly ShownRecord[] }>> {
    const answer = await call<{ batch: number; records: readonly ShownRecord[] }>(
      'PATCH',
      this.path(),
      { records: [{ id: record.id, ...(overwrite ? {} : { version: record.version }), values }], ask },
      true,
    );
    if (answer.ok) {
      const now = new Map(answer.value.records.map((one) => [one.id, one]));
      const changed = answer.value.records.flatMap((one) =>
        Object.keys(one.values)
          .filter((key) => !(key in values) && JSON.stringify(record.values[key]) !== JSON.stringify(one.values[key]))
          .map((key) => `${one.id}.${key}`),
      );
      this.records = this.records.map((one) => now.get(one.id) ?? one);
      this.single = this.single && (now.get(this.single.id) ?? this.single);
      this.mark(changed);
    }
    return answer;
  }
}
