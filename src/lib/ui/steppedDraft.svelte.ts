/** So long after a change the next one of the same shape is part of it, in milliseconds. */
const oneGo = 700;
const mostSteps = 100;

/**
 * Something that is designed on a page and saved as a whole: as it is now beside how it is saved, with the way back
 * over each step. What is written in one go, letter by letter, is one step.
 */
export class SteppedDraft<T> {
  now = $state.raw<T>() as T;
  saved = $state.raw<T>() as T;
  private steps = $state.raw<readonly T[]>([]);
  private lastAt = 0;

  constructor(
    start: T,
    /** What two versions have in common between which only something was written. */
    private readonly shapeOf: (version: T) => string,
  ) {
    this.now = start;
    this.saved = start;
  }

  readonly isChanged = $derived.by(() => JSON.stringify(this.now) !== JSON.stringify(this.saved));
  readonly canStepBack = $derived.by(() => this.steps.length > 0);

  change(next: T, at = Date.now()): void {
    const isOneGo = at - this.lastAt < oneGo && this.steps.length > 0 && this.shapeOf(next) === this.shapeOf(this.now);
    if (!isOneGo) this.steps = [...this.steps.slice(1 - mostSteps), this.now];
    this.lastAt = at;
    this.now = next;
  }

  stepBack(): void {
    const last = this.steps.at(-1);
    if (last === undefined) return;
    this.steps = this.steps.slice(0, -1);
    this.lastAt = 0;
    this.now = last;
  }
}
