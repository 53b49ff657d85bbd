import { call, workspacePath } from '../api';

/** Where somebody else’s open page is. */
export interface SomebodyHere {
  readonly tab: string;
  readonly person: number;
  readonly name: string;
  /** By identity. */
  readonly table: string | null;
  readonly record: number | null;
  readonly field: string | null;
}

/** Where this page is, by the table’s key. */
export interface Place {
  readonly table: string | null;
  readonly record: number | null;
  readonly field: string | null;
}

/** Others forget a page that is silent for a minute. */
const saidEvery = 20_000;
/** One who walks through cells says so once they rest. */
const restsFor = 250;

/** What happened in the workspace since the page was opened: components that show records watch `count`. */
export class LiveChanges {
  /** Grows with every change; `tables` are the identities of those it touched, empty for “look at everything”. */
  count = $state(0);
  tables = $state<readonly string[]>([]);
  /** The batch that the latest change was; null when it is not known. */
  batch = $state<number | null>(null);
  connected = $state(true);
  /** Others who are in the workspace now. */
  here = $state.raw<readonly SomebodyHere[]>([]);
  private readonly tab = crypto.randomUUID();
  private workspace: string | null = null;
  private place: Place = { table: null, record: null, field: null };
  private rest: ReturnType<typeof setTimeout> | undefined;

  /** Listens until the function it gives is called. */
  listen(workspace: string): () => void {
    this.workspace = workspace;
    const source = new EventSource(`/api/workspaces/${encodeURIComponent(workspace)}/events`);
    let opened = false;
    source.onopen = () => {
      this.connected = true;
      // What happened while the connection was lost is unknown.
      if (opened) this.heard([], null);
      opened = true;
    };
    source.onerror = () => (this.connected = false);
    source.onmessage = ({ data }) => {
      const { tables, batch } = JSON.parse(String(data)) as { tables: string[]; batch: number | null };
      this.heard(tables, batch);
    };
    source.addEventListener(
      'here',
      ({ data }) => (this.here = (JSON.parse(String(data)) as SomebodyHere[]).filter(({ tab }) => tab !== this.tab)),
    );
    void this.say();
    const again = setInterval(() => void this.say(), saidEvery);
    const leave = () => void this.say(true);
    addEventListener('pagehide', leave);
    return () => {
      clearInterval(again);
      removeEventListener('pagehide', leave);
      leave();
      source.close();
    };
  }

  /** Says where this page is now, once it rests there. */
  at(place: Place): void {
    if (JSON.stringify(place) === JSON.stringify(this.place)) return;
    this.place = place;
    clearTimeout(this.rest);
    this.rest = setTimeout(() => void this.say(), restsFor);
  }

  private async say(gone = false): Promise<void> {
    if (this.workspace === null) return;
    await call('PUT', workspacePath(this.workspace, '/presence'), {
      tab: this.tab,
      ...this.place,
      ...(gone ? { gone } : {}),
    });
  }

  private heard(tables: readonly string[], batch: number | null): void {
    this.tables = tables;
    this.batch = batch;
    this.count++;
  }

  /** Whether the latest change touched one of these tables. */
  concerns = (tables: ReadonlySet<string>): boolean =>
    this.tables.length === 0 || this.tables.some((table) => tables.has(table));
}
