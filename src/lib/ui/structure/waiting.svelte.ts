import type { BreakingWay, Effect } from '$core/model/effect';
import { call, workspacePath, type Refused } from '../api';
import type { ChangeDraft } from './draft';
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

  constructor(private readonly workspace: () => string) {
    this.work = new WatchedWork(workspace);
  }

  add(changes: readonly ChangeDraft[]): void {
    this.changes = [...this.changes, ...changes];
    this.plan = null;
  }

  takeOut(index: number): void {
    this.changes = this.changes.filter((_, at) => at !== index);
    this.plan = null;
  }

  throwAway(): void {
    [this.changes, this.plan, this.refused] = [[], null, null];
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
        ? { ...change, breaking: 'setAside', ...(change.do === 'addRule' && change.about ? { clear: change.about } : {}) }
        : way === 'fill'
          ? { ...change, fill: value }
          : change.do === 'addRule'
            ? { ...change, fromNow: true }
            : { ...change, [change.do === 'addField' ? 'field' : 'set']: { ...settings, required: 'fromNow' } };
    this.changes = this.changes.with(source, turned);
    await this.see();
  }

  async confirm(source: number, confirmed: Record<string, number>): Promise<void> {
    const change = this.changes[source];
    if (!change) return;
    this.changes = this.changes.with(source, { ...change, confirmed: { ...((change.confirmed as object | undefined) ?? {}), ...confirmed } });
    await this.see();
  }

  /** Applies the plan whole; null when it was refused, with the reason kept for the place that shows it. */
  async apply(): Promise<Applied | null> {
    if (!this.plan) return null;
    this.busy = true;
    const answer = await this.work.during(call<Applied>('POST', workspacePath(this.workspace(), `/plans/${this.plan.id}/apply`), {}, true));
    this.busy = false;
    if (answer.ok) {
      this.throwAway();
      return answer.value;
    }
    [this.refused, this.plan] = [answer.problem, null];
    return null;
  }
}
