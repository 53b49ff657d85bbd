import { KeptList } from './keptList';
import { call, unreached, type Refused } from '../api';

/**
 * An edit that could not be sent. It keeps the key it was sent under, so that it is done once even if the first try
 * arrived.
 */
export interface UnsentEdit {
  readonly key: string;
  readonly method: string;
  readonly path: string;
  readonly body: unknown;
  /** What it is, for people: `Weight of H-0042: 12.5`. */
  readonly words: string;
  /** The cell it is shown in, `path id.field`, and what was typed there. */
  readonly cell: string;
  readonly value: unknown;
  /** Why the server would not have it, once it was reached. */
  readonly refused?: Refused;
}

/** How often it is tried again while the server cannot be reached, in milliseconds. */
const triedEvery = 3000;

/**
 * Edits made while the server could not be reached: kept in this browser, shown as such, and sent again in their order.
 */
export class UnsentEdits {
  list = $state.raw<readonly UnsentEdit[]>([]);
  private sending = false;
  private timer: ReturnType<typeof setTimeout> | undefined;

  /** `place` names the person and the workspace: nobody sends what somebody else typed in the same browser. */
  constructor(private readonly place: () => string) {}

  /** Whose browser it is at the moment. */
  get person(): string {
    return this.place().split(' ')[0] ?? '';
  }

  private readonly storage = new KeptList<UnsentEdit>(() => `inner-loom unsent ${this.place()}`);

  /** Reads what was kept before the page was loaded, and sends it. */
  begin(): void {
    this.list = this.storage.read();
    if (this.waiting.length > 0) void this.send();
  }

  /** Those that wait for the server; the others wait for the person. */
  get waiting(): readonly UnsentEdit[] {
    return this.list.filter(({ refused }) => !refused);
  }

  private keep(list: readonly UnsentEdit[]): void {
    this.storage.write(this.list, list);
    this.list = list;
  }

  /** Keeps an edit that did not reach the server; a later one of the same cell stands behind it. */
  add(edit: UnsentEdit): void {
    this.keep([...this.list, edit]);
    this.later();
  }

  /** Forgets what was refused of a cell: something else is written there now. */
  writeOver(cell: string): void {
    if (this.list.some((edit) => edit.cell === cell && edit.refused))
      this.keep(this.list.filter((edit) => edit.cell !== cell || !edit.refused));
  }

  dismiss(key: string): void {
    this.keep(this.list.filter((edit) => edit.key !== key));
  }

  /** What was typed into a cell and is not sent yet. */
  at(cell: string): UnsentEdit | undefined {
    return this.list.findLast((edit) => edit.cell === cell);
  }

  private later(): void {
    clearTimeout(this.timer);
    this.timer = setTimeout(() => void this.send(), triedEvery);
  }

  /** Sends what waits, in its order; stops at the first that does not get through. */
  async send(): Promise<void> {
    if (this.sending) return;
    this.sending = true;
    for (const edit of this.waiting) {
      const answer = await call(edit.method, edit.path, edit.body, edit.key);
      if (answer.ok) this.dismiss(edit.key);
      // A first try that is still under way answers the second one in a moment.
      else if (unreached(answer.problem) || answer.problem.going === true) {
        this.later();
        break;
      } else this.keep(this.list.map((one) => (one.key === edit.key ? { ...one, refused: answer.problem } : one)));
    }
    this.sending = false;
  }
}
