import { SvelteMap } from 'svelte/reactivity';
import { call, unreached, workspacePath, type Answer, type Refused } from '../api';

export interface ShownRecord {
  readonly id: number;
  readonly version: number;
  readonly values: Readonly<Record<string, unknown>>;
  /** The place of the view's first colour whose condition it meets. */
  readonly mark?: number | null;
  /** Texts that did not fit their fields, by key: shown where the field is still blank. */
  readonly aside?: Readonly<Record<string, { readonly text: string; readonly reason: string }>>;
}

interface Page {
  readonly records: readonly ShownRecord[];
  readonly next: string | null;
}

interface Anchors {
  readonly count: number;
  readonly every: number;
  readonly anchors: readonly string[];
}

/** What a set of records is asked for by, as the API takes it. */
export interface SetQuery {
  /** Keys of the fields that are shown. */
  readonly fields: string;
  readonly filter: string;
  readonly sort: string;
  /** Conditions of which each record says the first that it meets. */
  readonly marks: readonly string[];
  /** Only records linked with one record: a field of theirs and its number, `hive:12`. */
  readonly of?: string;
}

/** Rows that are read at once. */
const blockSize = 100;
/**
 * Blocks kept; those farthest from what is shown are dropped, so that memory stays the same however far one scrolls.
 */
const mostBlocks = 80;
const atOnce = 3;
/** How long a value that changed stays marked, in milliseconds. */
const markedFor = 1800;
/**
 * Anchors are read anew at most this often while others work, in milliseconds, and never more than a fifth of the time.
 */
const leastBetweenAnchors = 2000;

/** A stretch of an order that is read at once: a record list, and the place behind it. */
interface Block {
  readonly records: readonly ShownRecord[];
  /** Read before the latest change; shown until it is read again. */
  readonly stale: boolean;
}

/**
 * The records of one table by filter and order, of which any stretch can be shown: blocks of rows, read by key from the
 * nearest place that is known. The page's only copy of them.
 */
export class RecordSet {
  /** How many rows the order has; null until it was counted. */
  count = $state<number | null>(null);
  problem = $state<string | null>(null);
  /** `id.key` of values that have just changed. */
  marked = $state.raw<ReadonlySet<string>>(new Set());
  /** Own edits moved records to another place, or out of the filter; they are shown where they were. */
  moved = $state(false);
  /** Records made here since the order was read, shown behind all others. */
  fresh = $state.raw<readonly ShownRecord[]>([]);
  private readonly blocks = new SvelteMap<number, Block>();
  /** The place behind each block that was read. */
  private readonly ends = new Map<number, string | null>();
  private anchors: Anchors | null = null;
  private anchorsRead = 0;
  private anchorsTook = 0;
  private anchorsWait: ReturnType<typeof setTimeout> | undefined;
  /** Records made here are in their places by now, as soon as the order was counted again. */
  private counting = false;
  private readonly asked = new Set<number>();
  private wanted: readonly number[] = [0];
  private generation = 0;
  private readonly ownBatches = new Set<number>();
  private writing = 0;
  /** The latest edit of each record that is under way, and the version that one’s own latest edit gave it. */
  private readonly writes = new Map<number, Promise<unknown>>();
  private readonly ownVersions = new Map<number, number>();
  /** Something was heard while a write of one’s own was under way. */
  private heardMeanwhile = false;
  /** The one asked for by its number, with all its fields. */
  private single = $state.raw<ShownRecord | null>(null);

  constructor(
    readonly workspace: string,
    readonly table: string,
    readonly query: SetQuery,
    /** Says which fields the records have; another shape is another set. */
    readonly shape: string,
  ) {}

  /** How many rows there are to scroll through, as far as is known. */
  get rows(): number {
    return (this.count ?? this.blocks.get(0)?.records.length ?? 0) + this.fresh.length;
  }

  /** Whether the first records have been read once: what is shown then stands, whatever of it is read again. */
  opened = $state(false);

  /** The record in a row; undefined while it is read. */
  at(row: number): ShownRecord | undefined {
    const behind = this.count === null ? -1 : row - this.count;
    if (behind >= 0) return this.fresh[behind];
    return this.blocks.get(Math.floor(row / blockSize))?.records[row % blockSize];
  }

  withId(id: number): ShownRecord | undefined {
    if (this.single?.id === id) return this.single;
    return this.loaded().find((one) => one.id === id);
  }

  /** The row in which a record stands among those that have been read. */
  rowOf(id: number): number | null {
    for (const [block, { records }] of this.blocks) {
      const at = records.findIndex((one) => one.id === id);
      if (at >= 0) return block * blockSize + at;
    }
    const at = this.fresh.findIndex((one) => one.id === id);
    return at >= 0 ? (this.count ?? 0) + at : null;
  }

  private loaded(): ShownRecord[] {
    return [...[...this.blocks.values()].flatMap(({ records }) => records), ...this.fresh];
  }

  /** The record that was read whole. */
  get whole(): ShownRecord | null {
    return this.single;
  }

  /** Reads one record whole by its number; the refusal when it is not there. */
  async read(id: number): Promise<Refused | null> {
    const answer = await call<ShownRecord>('GET', this.path(`/${id}`));
    if (answer.ok) this.single = answer.value;
    return answer.ok ? null : answer.problem;
  }

  /** Names a cell across pages, for what was typed into it and is not sent yet. */
  cellOf(id: number, key: string): string {
    return `${this.path()} ${id}.${key}`;
  }

  private path(rest = ''): string {
    return workspacePath(this.workspace, `/tables/${this.table}/records${rest}`);
  }

  async open(): Promise<void> {
    await this.fetchBlock(0);
    // A first page that is not full is all there is.
    if (this.ends.get(0) === null) this.count = this.blocks.get(0)?.records.length ?? 0;
    else if (!this.problem) await this.readAnchors();
  }

  /** After a problem: reads on where it stopped, or from the beginning. */
  async again(): Promise<void> {
    this.problem = null;
    if (!this.opened) return this.open();
    if (!this.anchors && this.ends.get(0) !== null) await this.readAnchors();
    this.fill();
  }

  /** Says which rows are about to be shown; they are read, the nearest first, and a block ahead on either side. */
  want(first: number, last: number): void {
    const [from, to] = [Math.max(0, Math.floor(first / blockSize)), Math.max(0, Math.floor(last / blockSize))];
    const blocks = Array.from({ length: to - from + 1 }, (_, index) => from + index);
    this.wanted = [...blocks, to + 1, ...(from > 0 ? [from - 1] : [])];
    this.fill();
  }

  private fill(): void {
    // After a problem nothing is asked for by itself, or a server that is away would be asked without end.
    if (this.problem) return;
    for (const block of this.wanted) {
      // What was asked for places that one has left since holds nobody up.
      if (this.wanted.filter((one) => this.asked.has(one)).length >= atOnce) return;
      const known = this.blocks.get(block);
      if (this.asked.has(block) || (known && !known.stale)) continue;
      if (block > 0 && this.count !== null && block * blockSize >= this.count) continue;
      if (this.placeBefore(block) === null) continue;
      void this.fetchBlock(block).then(() => this.fill());
    }
  }

  /**
   * Where reading a block begins: behind the block before it, or behind the nearest anchor; null while neither is
   * known.
   */
  private placeBefore(block: number): { after: string | null; skip: number } | null {
    if (block === 0) return { after: null, skip: 0 };
    const end = this.ends.get(block - 1);
    if (end) return { after: end, skip: 0 };
    if (!this.anchors) return null;
    const stretch = Math.floor((block * blockSize) / this.anchors.every);
    return {
      after: stretch === 0 ? null : (this.anchors.anchors[stretch - 1] ?? null),
      skip: block * blockSize - stretch * this.anchors.every,
    };
  }

  private asking(more: Record<string, string>): URLSearchParams {
    const { filter, sort, of } = this.query;
    return new URLSearchParams({ filter, sort, ...(of ? { of } : {}), ...more });
  }

  private async ask(block: number): Promise<Answer<Page>> {
    const place = this.placeBefore(block) ?? { after: null, skip: 0 };
    const query = this.asking({ fields: this.query.fields, limit: String(blockSize) });
    if (place.after) query.set('after', place.after);
    if (place.skip > 0) query.set('skip', String(place.skip));
    if (this.query.marks.length > 0) query.set('marks', JSON.stringify(this.query.marks));
    const answer = await call<{ items: ShownRecord[]; next: string | null }>('GET', this.path(`?${query}`));
    return answer.ok ? { ok: true, value: { records: answer.value.items, next: answer.value.next } } : answer;
  }

  private async fetchBlock(block: number): Promise<void> {
    const mine = this.generation;
    this.asked.add(block);
    const answer = await this.ask(block);
    this.asked.delete(block);
    if (mine !== this.generation) return;
    if (!answer.ok) return void (this.problem = wordsOf(answer.problem));
    this.keep(block, answer.value);
  }

  private keep(block: number, { records, next }: Page): void {
    this.problem = null;
    if (block === 0) this.opened = true;
    this.blocks.set(block, { records, stale: false });
    this.ends.set(block, next);
    if (next === null && this.count !== null && records.length > 0) this.count = block * blockSize + records.length;
    const near = this.wanted[0] ?? 0;
    if (this.blocks.size > mostBlocks) {
      const far = [...this.blocks.keys()]
        .filter((one) => one > 0)
        .sort((a, b) => Math.abs(b - near) - Math.abs(a - near));
      for (const one of far.slice(0, this.blocks.size - mostBlocks)) this.blocks.delete(one);
    }
  }

  /** Counts the rows, and learns places by which any of them can be reached. */
  private async readAnchors(): Promise<void> {
    const began = performance.now();
    const counted = this.counting ? this.fresh : [];
    const query = this.asking({});
    const answer = await call<Anchors>('GET', this.path(`/anchors?${query}`));
    [this.anchorsRead, this.anchorsTook] = [performance.now(), performance.now() - began];
    if (!answer.ok) return void (this.problem = wordsOf(answer.problem));
    this.anchors = answer.value;
    this.counting = false;
    [this.count, this.fresh] = [answer.value.count, this.fresh.filter((record) => !counted.includes(record))];
    this.fill();
  }

  /** Takes note of a change that somebody made; those of one's own leave records where they stand. */
  hear(batch: number | null): void {
    const own = batch !== null && this.ownBatches.has(batch);
    // The answer to a write of one's own may come after the news of it.
    if (this.writing > 0) this.heardMeanwhile = true;
    else void this.refresh(own);
  }

  /** Notes a batch that this page made, so that the news of it are known as one's own. */
  made(batch: number): void {
    this.ownBatches.add(batch);
  }

  /**
   * Reads what is shown again and marks what differs. With `hold` records stay in their rows although their place would
   * be another.
   */
  async refresh(hold = false): Promise<void> {
    const mine = ++this.generation;
    this.asked.clear();
    const shown = this.wanted.filter((block) => this.blocks.has(block));
    const madeBefore = this.fresh;
    const [answers, refused] = await Promise.all([
      Promise.all(shown.map((block) => this.ask(block))),
      this.single ? this.read(this.single.id) : null,
    ]);
    if (mine !== this.generation) return;
    // What cannot be read just now stays as it was read before, until it can.
    if (answers.some((answer) => !answer.ok && unreached(answer.problem)) || (refused && unreached(refused))) {
      for (const [block, known] of this.blocks) this.blocks.set(block, { ...known, stale: true });
      setTimeout(() => mine === this.generation && void this.refresh(hold), readAgainAfter);
      return;
    }
    const pages = shown.flatMap((block, index) => {
      const answer = answers[index];
      return answer?.ok ? [{ block, page: answer.value }] : [];
    });
    const before = new Map(this.loaded().map((record) => [record.id, record]));
    const now = new Map(pages.flatMap(({ page }) => page.records.map((record) => [record.id, record] as const)));
    const same = pages.every(({ block, page }) => {
      const known = this.blocks.get(block)?.records ?? [];
      return known.length === page.records.length && known.every(({ id }, index) => id === page.records[index]?.id);
    });
    if (hold) {
      this.replace(now);
      this.moved ||= !same;
      const read = new Set(pages.map(({ block }) => block));
      for (const [block, known] of this.blocks) this.blocks.set(block, { ...known, stale: !read.has(block) });
    } else {
      for (const block of [...this.blocks.keys()]) if (!shown.includes(block)) this.blocks.delete(block);
      this.ends.clear();
      for (const { block, page } of pages)
        this.keep(block, { ...page, records: page.records.map((record) => unchanged(before.get(record.id), record)) });
      this.moved = false;
      if (shown.length === 0) await this.fetchBlock(0);
      // What was made while this was read is not in it yet.
      if (this.ends.get(0) === null)
        [this.count, this.fresh] = [
          this.blocks.get(0)?.records.length ?? 0,
          this.fresh.filter((one) => !madeBefore.includes(one) && !now.has(one.id)),
        ];
      else {
        // They stand behind the others until these are counted anew, so that no row moves twice.
        this.counting = true;
        this.anchorsSoon();
      }
    }
    this.mark([...now].flatMap(([id, record]) => differing(before.get(id), record)));
    this.fill();
  }

  private anchorsSoon(): void {
    clearTimeout(this.anchorsWait);
    const wait = Math.max(
      0,
      this.anchorsRead + Math.max(leastBetweenAnchors, 5 * this.anchorsTook) - performance.now(),
    );
    this.anchorsWait = setTimeout(() => void this.readAnchors(), wait);
  }

  private replace(now: ReadonlyMap<number, ShownRecord>): void {
    for (const [block, { records, stale }] of this.blocks)
      if (records.some(({ id }) => now.has(id)))
        this.blocks.set(block, {
          records: records.map((record) => unchanged(record, merged(record, now.get(record.id)))),
          stale,
        });
    this.fresh = this.fresh.map((record) => now.get(record.id) ?? record);
    if (this.single) this.single = merged(this.single, now.get(this.single.id));
  }

  private mark(cells: readonly string[]): void {
    if (cells.length === 0) return;
    this.marked = new Set([...this.marked, ...cells]);
    setTimeout(() => (this.marked = new Set([...this.marked].filter((cell) => !cells.includes(cell)))), markedFor);
  }

  /** Does a write of one's own; the news of it that come meanwhile wait until it is known as such. */
  async during<T extends { readonly batch: number }>(write: () => Promise<Answer<T>>): Promise<Answer<T>> {
    this.writing++;
    const answer = await write();
    this.writing--;
    if (answer.ok) this.made(answer.value.batch);
    if (this.heardMeanwhile && this.writing === 0) {
      this.heardMeanwhile = false;
      void this.refresh(answer.ok);
    }
    return answer;
  }

  /**
   * Writes one value; the version makes sure that nobody's change is overwritten unseen. With `ask` it is refused
   * first, with counts, where very much would be calculated anew.
   */
  async write(
    record: ShownRecord,
    values: Record<string, unknown>,
    how: { overwrite?: boolean; ask?: boolean; key?: string } = {},
  ): Promise<Answer<WriteAnswer>> {
    // One's own edits of a record follow each other, each on what the one before it made of the record.
    const before = this.writes.get(record.id);
    const mine = (async () => {
      await before;
      const version = Math.max(record.version, this.ownVersions.get(record.id) ?? 0);
      const { method, path, body, key } = this.edit({ ...record, version }, values, how);
      return this.during(() => call<WriteAnswer>(method, path, body, key));
    })();
    this.writes.set(record.id, mine);
    const answer = await mine;
    if (this.writes.get(record.id) === mine) this.writes.delete(record.id);
    if (!answer.ok) return answer;
    for (const { id, version } of answer.value.records) this.ownVersions.set(id, version);
    this.show(answer.value.records, Object.keys(values));
    return answer;
  }

  /** The call that writes values into a record, with the key under which it is done once however often it is sent. */
  edit(
    record: ShownRecord,
    values: Record<string, unknown>,
    { overwrite = false, ask = true, key = crypto.randomUUID() as string } = {},
  ) {
    const sent = { id: record.id, ...(overwrite ? {} : { version: record.version }), values };
    return { method: 'PATCH', path: this.path(), body: { records: [sent], ask }, key };
  }

  /** Shows records that were made just now behind all others, until the order is read anew. */
  join(records: readonly ShownRecord[]): void {
    this.fresh = [...this.fresh, ...records];
  }

  /** Shows what a write answered; values other than those that were written are marked, as they followed. */
  show(records: readonly ShownRecord[], written: readonly string[] = []): void {
    const before = new Map(this.loaded().map((record) => [record.id, record]));
    this.replace(new Map(records.map((one) => [one.id, one])));
    this.mark(
      records.flatMap((one) =>
        differing(before.get(one.id), one).filter((cell) => !written.some((key) => cell === `${one.id}.${key}`)),
      ),
    );
  }

  /**
   * The records of rows that need not be shown, for copying and pasting, with a grid's own fields; null where they
   * cannot all be read.
   */
  async between(first: number, last: number): Promise<readonly ShownRecord[] | null> {
    const count = this.count ?? 0;
    const found: ShownRecord[] = [];
    for (let block = Math.floor(first / blockSize); block * blockSize < Math.min(count, last + 1); block++) {
      const known = this.blocks.get(block);
      const answer = known ? null : await this.ask(block);
      if (answer && !answer.ok) return null;
      if (answer) this.ends.set(block, answer.value.next);
      const start = block * blockSize;
      found.push(
        ...(known?.records ?? answer?.value.records ?? []).slice(Math.max(0, first - start), last - start + 1),
      );
    }
    if (last >= count) found.push(...this.fresh.slice(Math.max(0, first - count), last - count + 1));
    return found.length === last - first + 1 ? found : null;
  }

  /** A record as it was last read into the rows. */
  known(id: number): ShownRecord | undefined {
    return this.loaded().find((one) => one.id === id);
  }
}

/** In milliseconds. */
const readAgainAfter = 2_000;

const wordsOf = ({ message, fix }: Refused): string => [message, fix].filter(Boolean).join(' ');

export interface WriteAnswer {
  readonly batch: number;
  readonly records: readonly ShownRecord[];
}

/** The record with the values that are known of it now; those not read again, and its mark, stay as they were. */
const merged = (record: ShownRecord, now: ShownRecord | undefined): ShownRecord =>
  now ? { ...record, ...now, values: { ...record.values, ...now.values } } : record;

const differing = (before: ShownRecord | undefined, now: ShownRecord): string[] =>
  before
    ? Object.keys(now.values)
        .filter((key) => key in before.values && JSON.stringify(before.values[key]) !== JSON.stringify(now.values[key]))
        .map((key) => `${now.id}.${key}`)
    : [];

/** A record that did not change stays the same object, so that its row is not drawn again. */
const unchanged = (before: ShownRecord | undefined, now: ShownRecord): ShownRecord =>
  before &&
  before.version === now.version &&
  before.mark === now.mark &&
  JSON.stringify(before.aside) === JSON.stringify(now.aside) &&
  JSON.stringify(before.values) === JSON.stringify(now.values)
    ? before
    : now;
