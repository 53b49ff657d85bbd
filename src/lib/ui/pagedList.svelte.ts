import { call, type Refused } from './api';

/** A list that is read page by page, as every list of the API is: what was read so far, and whether there is more. */
export class PagedList<T> {
  items = $state.raw<readonly T[]>([]);
  /** The number to go on after; null at the end. */
  next = $state<number | null>(null);
  /** False until the first page is there. */
  isRead = $state(false);
  private asked = 0;

  /** `path` has all that is asked for but the place to go on after. */
  constructor(private readonly refused: (problem: Refused) => void) {}

  /** Reads the first page anew, or the one behind what is there. */
  async read(path: string, more = false): Promise<void> {
    const mine = ++this.asked;
    const after = more && this.next !== null ? `${path.includes('?') ? '&' : '?'}after=${this.next}` : '';
    const answer = await call<{ items: T[]; next: number | null }>('GET', path + after);
    // Something else was asked for meanwhile, whichever answer comes first.
    if (mine !== this.asked) return;
    if (!answer.ok) return this.refused(answer.problem);
    this.items = after === '' ? answer.value.items : [...this.items, ...answer.value.items];
    this.next = answer.value.next;
    this.isRead = true;
  }
}
