import type { Problem } from '$core/base/problem';

export interface Notice {
  readonly id: number;
  readonly kind: 'done' | 'refused';
  readonly message: string;
  readonly fix?: string;
  /** A step offered with it, such as undoing what was just done. */
  readonly step?: { readonly label: string; readonly run: () => void };
  /** What it is about: a later one about the same takes its place. */
  readonly about?: string;
}

/** Short messages at the foot of the stage: what was done, with its undo, and what was refused. */
export class Notices {
  list = $state<readonly Notice[]>([]);
  private last = 0;

  done(message: string, step?: Notice['step'], about?: string): void {
    this.add({ kind: 'done', message, step, about }, 8000);
  }

  /** Something that was not done yet, with the step that does it after all. */
  offer(problem: Problem, step: NonNullable<Notice['step']>): void {
    this.add({ kind: 'refused', message: problem.message, fix: problem.fix, step, about: 'offer' }, 20_000);
  }

  /** Refusals stay until they are closed: they say what to do. */
  refused(problem: Problem): void {
    this.add({ kind: 'refused', message: problem.message, fix: problem.fix }, null);
  }

  /** Closes the latest; whether there was one. */
  closeLast(): boolean {
    const last = this.list.at(-1);
    if (last) this.close(last.id);
    return last !== undefined;
  }

  close = (id: number): void => void (this.list = this.list.filter((notice) => notice.id !== id));

  private add(notice: Omit<Notice, 'id'>, milliseconds: number | null): void {
    const id = ++this.last;
    const others = this.list.filter(({ about }) => about === undefined || about !== notice.about);
    this.list = [...others.slice(-2), { ...notice, id }];
    if (milliseconds !== null) setTimeout(() => this.close(id), milliseconds);
  }
}
