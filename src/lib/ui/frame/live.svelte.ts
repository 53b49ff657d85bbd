/** What happened in the workspace since the page was opened: components that show records watch `count`. */
export class LiveChanges {
  /** Grows with every change; `tables` are the identities of those it touched, empty for “look at everything”. */
  count = $state(0);
  tables = $state<readonly string[]>([]);
  /** The batch that the latest change was; null when it is not known. */
  batch = $state<number | null>(null);
  connected = $state(true);

  /** Listens until the function it gives is called. */
  listen(workspace: string): () => void {
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
    return () => source.close();
  }

  private heard(tables: readonly string[], batch: number | null): void {
    this.tables = tables;
    this.batch = batch;
    this.count++;
  }

  concerns = (table: string): boolean => this.tables.length === 0 || this.tables.includes(table);
}
