import type { Problem } from '$core/problem';

export interface Notice {
  readonly id: number;
  readonly kind: 'done' | 'refused';
  readonly message: string;
  readonly mend?: string;
  /** A step offered with it, such as taking back what was just done. */
  readonly step?: { readonly label: string; readonly run: () => void };
}

/** Short messages at the foot of the stage: what was done, with its undo, and what was refused. */
export class Notices {
  list = $state<readonly Notice[]>([]);
  private last = 0;

  done(message: string, step?: Notice['step']): void {
    this.add({ kind: 'done', message, step }, 8000);
  }

  /** Refusals stay until they are closed: they say what to do. */
  refused(problem: Problem): void {
    this.add({ kind: 'refused', message: problem.message, mend: problem.mend }, null);
  }

  close = (id: number): void => void (this.list = this.list.filter((notice) => notice.id !== id));

  private add(notice: Omit<Notice, 'id'>, milliseconds: number | null): void {
    const id = ++this.last;
    this.list = [...this.list.slice(-2), { ...notice, id }];
    if (milliseconds !== null) setTimeout(() => this.close(id), milliseconds);
  }
}
