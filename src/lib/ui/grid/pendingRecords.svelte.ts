import { unreached, type Answer, type Refused } from '../api';
import { KeptList } from '../frame/keptList';
import { Later, settleAll } from '../fieldTypes/editors/later';
import type { Problem } from '$core/base/problem';

/** A record that was typed and is not saved yet. */
export interface PendingRecord {
  /** Also the key under which it is made once, however often it is sent. */
  readonly key: string;
  /** The table's identity, and where its records are made. */
  readonly table: string;
  readonly path: string;
  readonly values: Readonly<Record<string, unknown>>;
  /** Why it cannot be saved as it is; it waits for the person. */
  readonly problem: Problem | null;
}

/** How long until another try where the server was not reached, in milliseconds. */
const triedEvery = 3000;

/**
 * Records on their way to the server, in the order they were typed: each stands in its row from the moment one goes on
 * to the next, so that nobody waits. They are kept in this browser until they are saved.
 */
export class PendingRecords {
  private all = $state.raw<readonly PendingRecord[]>([]);
  private readonly storage: KeptList<PendingRecord>;
  private sending = false;
  /** Over once nothing more is on its way. */
  sent: Promise<void> = Promise.resolve();
  private timer: ReturnType<typeof setTimeout> | undefined;

  constructor(
    /** Names whose they are. */
    name: string,
    /** Makes it, and calls `leave` in the very moment in which it stands among the saved ones, so that no row moves. */
    private readonly make: (record: PendingRecord, leave: () => void) => Promise<Answer<unknown>>,
  ) {
    this.storage = new KeptList(() => name);
    // On the server nobody has typed anything.
    if (typeof localStorage === 'undefined') return;
    this.all = this.storage.read();
    if (this.all.length > 0) this.send();
  }

  /** Those of one table, by its identity, in the order they were typed. */
  of(table: string): readonly PendingRecord[] {
    return this.all.filter((one) => one.table === table);
  }

  add(table: string, path: string, values: Readonly<Record<string, unknown>>): void {
    this.keep([...this.all, { key: crypto.randomUUID(), table, path, values, problem: null }]);
    this.send();
  }

  /**
   * Puts another value into one that cannot be saved, and tries again: under a new key, as it is another record then.
   */
  change(key: string, field: string, value: unknown): void {
    this.keep(
      this.all.map((one) =>
        one.key === key
          ? { ...one, key: crypto.randomUUID(), values: { ...one.values, [field]: value }, problem: null }
          : one,
      ),
    );
    this.send();
  }

  remove(key: string): void {
    this.keep(this.all.filter((one) => one.key !== key));
  }

  private keep(list: readonly PendingRecord[]): void {
    this.storage.write(this.all, list.map(kept));
    this.all = list;
  }

  private refuse(key: string, { message, fix }: Problem, values: PendingRecord['values']): void {
    this.keep(this.all.map((one) => (one.key === key ? { ...one, values, problem: { message, fix } } : one)));
  }

  /** One after the other, so that they are numbered in the order they were typed. */
  private send(): void {
    if (this.sending) return;
    this.sending = true;
    this.sent = this.sendAll();
  }

  private async sendAll(): Promise<void> {
    clearTimeout(this.timer);
    for (;;) {
      const next = this.all.find(({ problem }) => problem === null);
      if (!next) break;
      const { values, problem } = await settleAll(next.values);
      if (problem) {
        this.refuse(next.key, problem, values);
        continue;
      }
      const answer = await this.make({ ...next, values }, () => this.remove(next.key));
      if (answer.ok) continue;
      if (isLost(answer.problem)) {
        this.timer = setTimeout(() => this.send(), triedEvery);
        break;
      } else this.refuse(next.key, answer.problem, values);
    }
    this.sending = false;
  }
}

const isLost = (problem: Refused): boolean => unreached(problem) || problem.going === true;

/** As it is kept over a reload: what was still being looked up is looked up no more. */
function kept(one: PendingRecord): PendingRecord {
  const looking = Object.values(one.values).some((value) => value instanceof Later);
  const values = Object.fromEntries(
    Object.entries(one.values).map(([field, value]) => [field, value instanceof Later ? value.text : value]),
  );
  return looking
    ? {
        ...one,
        values,
        problem: one.problem ?? {
          message: 'Not all of it was looked up when the page was closed.',
          fix: 'Choose again.',
        },
      }
    : one;
}
