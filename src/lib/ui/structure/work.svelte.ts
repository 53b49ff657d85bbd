import type { Work } from '$server/database/progress';
import { call, workspacePath } from '../api';

/** Calls that are over sooner show nothing; later ones are asked about this often, in milliseconds. */
const interval = 700;

/** What the server is at while a call for a long change goes on. */
export class WatchedWork {
  current = $state.raw<Work | null>(null);

  constructor(private readonly workspace: () => string) {}

  /** The answer of a call, watched until it comes. */
  async during<T>(calling: Promise<T>): Promise<T> {
    const timer = setInterval(() => {
      void call<{ items: Work[] }>('GET', workspacePath(this.workspace(), '/work')).then((answer) => {
        this.current = answer.ok ? (answer.value.items.at(-1) ?? null) : null;
      });
    }, interval);
    try {
      return await calling;
    } finally {
      clearInterval(timer);
      this.current = null;
    }
  }

  /** Asks the server to stop; the call then answers that nothing was kept. */
  async stop(): Promise<void> {
    if (this.current)
      await call('DELETE', workspacePath(this.workspace(), '/work'), { kind: this.current.kind, id: this.current.id });
  }
}
