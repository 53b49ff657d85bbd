import { call, type Answer } from './api';

/** So long after a change the next one of the same shape is part of it, in milliseconds. */
const oneGo = 700;
const mostSteps = 100;

/** A part as the server writes it, once it is saved. */
export interface SavedPart<T> {
  readonly id: string;
  readonly saved: T;
}

/** What was changed and not saved. */
export interface Unsaved {
  readonly now: unknown;
  readonly saved: unknown;
  readonly steps: readonly unknown[];
}

/**
 * A part of a table that is designed on a page and saved as a whole: as it is now beside how it is saved, with the way
 * back over each step. What is written in one go, letter by letter, is one step.
 */
export class SteppedDraft<T> {
  now = $state.raw<T>() as T;
  saved = $state.raw<T>() as T;
  /** Null for one that was never saved. */
  id = $state<string | null>(null);
  private saving: Promise<unknown> = Promise.resolve();
  private steps = $state.raw<readonly T[]>([]);
  private lastAt = 0;
  /** As it was saved before. */
  private readonly earlier = new Set<string>();

  constructor(
    start: T,
    id: string | null,
    /** What the API calls it. */
    readonly kind: 'form' | 'routine' | 'summary' | 'document',
    /** What two versions have in common between which only something was written. */
    private readonly shapeOf: (version: T) => string,
  ) {
    this.now = start;
    this.saved = start;
    this.id = id;
  }

  /** Whether what is here was left unsaved before. */
  resumed = $state(false);

  get unsaved(): Unsaved | null {
    const { now, saved, steps } = this;
    return this.isChanged && this.canStepBack ? { now, saved, steps } : null;
  }
  resume({ now, saved, steps }: Unsaved): void {
    // Of the same kind and identity: whoever kept it goes by both.
    [this.now, this.saved, this.steps] = [now as T, saved as T, steps as readonly T[]];
    this.resumed = true;
  }
  /** As it is saved, or as it began. */
  discard(): void {
    [this.now, this.steps, this.resumed] = [this.saved, [], false];
  }

  readonly isChanged = $derived.by(() => this.id === null || JSON.stringify(this.now) !== JSON.stringify(this.saved));
  readonly canStepBack = $derived.by(() => this.steps.length > 0);

  change(next: T, at = Date.now()): void {
    const isOneGo = at - this.lastAt < oneGo && this.steps.length > 0 && this.shapeOf(next) === this.shapeOf(this.now);
    if (!isOneGo) this.steps = [...this.steps.slice(1 - mostSteps), this.now];
    this.lastAt = at;
    this.now = next;
  }

  /** Goes on from what somebody else saved meanwhile, unless something is changed here. */
  follow(saved: T): void {
    const read = JSON.stringify(saved);
    // What was read before one's own saving, and comes after it, is no news.
    if (this.id === null || this.isChanged || read === JSON.stringify(this.saved) || this.earlier.has(read)) return;
    [this.now, this.saved, this.steps] = [saved, saved, []];
  }

  stepBack(): void {
    const last = this.steps.at(-1);
    if (last === undefined) return;
    this.steps = this.steps.slice(0, -1);
    this.lastAt = 0;
    this.now = last;
  }

  /**
   * Saves what stands, as `as` makes it, over what it was begun with and no other: one saving after the other. What is
   * changed meanwhile stays as it is, and is not saved. `path`: where the API has the parts of this kind; `more` is sent
   * beside it.
   */
  save(path: string, as: (now: T) => T = (now) => now, more: object = {}): Promise<Answer<SavedPart<T>>> {
    const before = this.saving;
    const mine = (async () => {
      await before;
      const { now, id } = this;
      const json = as(now);
      const answer = await (id === null
        ? call<SavedPart<T>>('POST', path, { [this.kind]: json, ...more }, true)
        : call<SavedPart<T>>('PATCH', `${path}/${id}`, { [this.kind]: json, over: this.saved, ...more }));
      if (!answer.ok) return answer;
      // As the server writes it, unless more was changed meanwhile.
      this.earlier.add(JSON.stringify(this.saved));
      this.earlier.delete(JSON.stringify(answer.value.saved));
      [this.id, this.saved, this.resumed] = [answer.value.id, answer.value.saved, false];
      this.now = this.now === now ? this.saved : as(this.now);
      return answer;
    })();
    this.saving = mine;
    return mine;
  }
}
