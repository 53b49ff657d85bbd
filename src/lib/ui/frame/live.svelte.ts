/** What happened in the workspace since the page was opened: components that show records watch `count`. */
export class LiveChanges {
  /** Grows with every change; `tables` are the identities of those it touched, empty for “look at everything”. */
  count = $state(0);
  tables = $state<readonly string[]>([]);
  connected = $state(true);

  /** Listens until the function it gives is called. */
  listen(workspace: string): () => void {
    const source = new EventSource(`/api/workspaces/${encodeURIComponent(workspace)}/events`);
    let opened = false;
    source.onopen = () => {
      this.connected = true;
      // What happened while the connection was lost is unknown.
      if (opened) this.heard([]);
      opened = true;
    };
    source.onerror = () => (this.connected = false);
    source.onmessage = ({ data }) => this.heard((JSON.parse(String(data)) as { tables: string[] }).tables);
    return () => source.close();
  }

  private heard(tables: readonly string[]): void {
    this.tables = tables;
    this.count++;
  }

  concerns = (table: string): boolean => this.tables.length === 0 || this.tables.includes(table);
}
