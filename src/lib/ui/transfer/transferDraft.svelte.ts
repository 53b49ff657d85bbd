import type { TransferPlan, TransferReceipt } from '$core/transfer/receipt';
import type { Written } from '$core/filled/written';
import { call, workspacePath, type Answer, type Refused } from '../api';
import { WatchedWork } from '../structure/work.svelte';

/** A transfer as the API answers it. */
export interface TransferShown {
  readonly id: number;
  readonly madeAt: string;
  readonly transfer: Written;
  readonly plan: TransferPlan;
  readonly tried: TransferReceipt | null;
  readonly receipt: TransferReceipt | null;
  readonly batch: number | null;
}

/** After so long without a further change the plan is made, in milliseconds. */
const patience = 350;

/** A transfer that somebody designs: planned anew with each change, then tried and done. */
export class TransferDraft {
  /** What is wanted so far; null while something is missing. */
  wanted = $state.raw<Written | null>(null);
  shown = $state.raw<TransferShown | null>(null);
  problem = $state.raw<Refused | null>(null);
  busy = $state<'' | 'planning' | 'trying' | 'doing'>('');
  readonly work: WatchedWork;
  private timer: ReturnType<typeof setTimeout> | undefined;
  private asked = 0;

  constructor(private readonly workspace: () => string) {
    this.work = new WatchedWork(workspace);
  }

  private path = (rest = ''): string => workspacePath(this.workspace(), `/transfers${rest}`);

  /** Where the file of what did not come along whole is. */
  get misfits(): string {
    return this.path(`/${this.shown?.id ?? 0}/receipt/misfits.csv`);
  }

  /** Goes on with one that was begun before. */
  async open(id: number): Promise<void> {
    this.take(await call<TransferShown>('GET', this.path(`/${id}`)));
  }

  /** Wants something else; its plan follows. */
  want(json: Written | null): void {
    this.wanted = json;
    clearTimeout(this.timer);
    this.asked++;
    if (json === null) {
      this.busy = '';
      return;
    }
    this.busy = 'planning';
    this.timer = setTimeout(() => void this.plan(json), patience);
  }

  private async plan(json: Written): Promise<void> {
    const asked = ++this.asked;
    const stands = this.shown?.batch === null ? this.shown.id : null;
    const answer = await (stands === null
      ? call<TransferShown>('POST', this.path(), json)
      : call<TransferShown>('PUT', this.path(`/${stands}`), json));
    if (asked !== this.asked) return;
    this.busy = '';
    this.take(answer);
  }

  private take(answer: Answer<TransferShown>): boolean {
    if (answer.ok) [this.shown, this.problem] = [answer.value, null];
    else this.problem = answer.problem;
    return answer.ok;
  }

  /** Does it and rolls it back. */
  try = (): Promise<boolean> => this.run('trying', '/dry-run');
  apply = (): Promise<boolean> => this.run('doing', '/apply');

  private async run(busy: 'trying' | 'doing', step: string): Promise<boolean> {
    if (!this.shown) return false;
    this.busy = busy;
    const calling = call<TransferShown>('POST', this.path(`/${this.shown.id}${step}`), undefined, busy === 'doing');
    const done = this.take(await this.work.during(calling));
    this.busy = '';
    return done;
  }
}
