import { untrack } from 'svelte';
import { findField } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { BreakingWay, Effect } from '$core/changes/effect';
import { call, workspacePath, type Refused } from '../api';
import { asRead } from './field/draft';
import type { ChangeDraft, FieldDraft } from '../fieldTypes/fieldDraft';
import { WatchedWork } from './work.svelte';

export interface PlanShown {
  readonly id: number;
  readonly effects: readonly (Effect & { readonly source?: number })[];
  readonly possible: boolean;
}

interface Applied {
  readonly batch: number;
  readonly model: { readonly tables: readonly { readonly id: string; readonly key: string }[] };
}

/** Changes that wait for their plan, and the plan once it was looked at. */
export class WaitingChanges {
  changes = $state.raw<readonly ChangeDraft[]>([]);
  plan = $state.raw<PlanShown | null>(null);
  refused = $state.raw<Refused | null>(null);
  busy = $state(false);
  readonly work: WatchedWork;

  /**
   * `name`: what these changes are of, among those of the workspace. They are kept in this browser until they are
   * applied or discarded.
   */
  constructor(
    private readonly workspace: () => string,
    private readonly name: string,
    private readonly model: () => Model,
  ) {
    this.work = new WatchedWork(workspace);
    // Not before the page stands: the server, which draws it first, knows nothing of what waits here.
    $effect(() =>
      untrack(() => void (this.changes = JSON.parse(localStorage.getItem(this.place) ?? '[]') as ChangeDraft[])),
    );
  }

  private get place(): string {
    return `inner-loom waiting ${this.workspace()} ${this.name}`;
  }

  private put(changes: readonly ChangeDraft[]): void {
    this.changes = changes;
    if (changes.length === 0) localStorage.removeItem(this.place);
    else localStorage.setItem(this.place, JSON.stringify(changes));
  }

  /** The type that a change's field has now. */
  private typeOf({ field }: ChangeDraft): FieldDraft['type'] | null {
    const kind = typeof field === 'string' ? findField(this.model(), field)?.field.type.kind : undefined;
    return kind ? (kind as FieldDraft['type']) : null;
  }

  add(changes: readonly ChangeDraft[]): void {
    this.put([...this.changes, ...changes]);
    this.plan = null;
  }

  takeOut(index: number): void {
    this.put(this.changes.filter((_, at) => at !== index));
    this.plan = null;
  }

  throwAway(): void {
    this.put([]);
    [this.plan, this.refused] = [null, null];
  }

  /** Asks the server what the changes would do. */
  async see(): Promise<void> {
    this.busy = true;
    const answer = await call<PlanShown>('POST', workspacePath(this.workspace(), '/plans'), {
      // What a rule is about is only known here, for the way that sets values aside.
      changes: this.changes.map(({ about: _, ...change }) => change),
    });
    this.busy = false;
    this.refused = answer.ok ? null : answer.problem;
    this.plan = answer.ok ? answer.value : null;
  }

  /** Another way for one change, and the plan made again with it. */
  async choose(source: number, way: BreakingWay, value = ''): Promise<void> {
    const change = this.changes[source];
    if (!change) return;
    const settings = (change.do === 'addField' ? change.field : change.set) as Record<string, unknown> | undefined;
    const turned: ChangeDraft =
      way === 'setAside'
        ? {
            ...change,
            breaking: 'setAside',
            ...(change.do === 'addRule' && change.about ? { clear: change.about } : {}),
          }
        : way === 'fill'
          ? { ...change, fill: this.fillOf(change, value) }
          : change.do === 'addRule'
            ? { ...change, fromNow: true }
            : { ...change, [change.do === 'addField' ? 'field' : 'set']: { ...settings, required: 'fromNow' } };
    this.put(this.changes.with(source, turned));
    await this.see();
  }

  /** What is put into blanks, read as the field's editor reads it. */
  private fillOf(change: ChangeDraft, text: string): unknown {
    const type = (change.set as { type?: FieldDraft['type'] } | undefined)?.type ?? this.typeOf(change);
    return type ? asRead(text, type) : text;
  }

  async confirm(source: number, confirmed: Record<string, number>): Promise<void> {
    const change = this.changes[source];
    if (!change) return;
    this.put(
      this.changes.with(source, {
        ...change,
        confirmed: { ...((change.confirmed as object | undefined) ?? {}), ...confirmed },
      }),
    );
    await this.see();
  }

  /** Applies the plan whole; null when it was refused, with the reason kept for the place that shows it. */
  async apply(): Promise<Applied | null> {
    if (!this.plan) return null;
    this.busy = true;
    // They are with the server from here on: who leaves the page meanwhile must not find them waiting again once they
    // are applied.
    localStorage.removeItem(this.place);
    const answer = await this.work.during(
      call<Applied>('POST', workspacePath(this.workspace(), `/plans/${this.plan.id}/apply`), {}, true),
    );
    this.busy = false;
    if (answer.ok) {
      this.throwAway();
      return answer.value;
    }
    // Without an answer, as when the page is left, nobody knows; they stay on this page alone.
    if (answer.problem.status !== 0) this.put(this.changes);
    [this.refused, this.plan] = [answer.problem, null];
    return null;
  }
}
