import type { Problem } from '$core/base/problem';
import type { Written } from '$core/filled/written';
import type { Model, Table } from '$core/types/model';
import type { Routine } from '$core/types/routine';
import { draftScopes, type DraftScopes } from '$core/routines/draft';
import { readRoutine, sentenceOf } from '$core/routines/routine';
import type { RoutineTried } from '$server/routines/routines';
import { call, workspacePath, type Answer } from '../api';
import { SteppedDraft, type SavedPart } from '../steppedDraft.svelte';

/** Where a routine is designed: the structure as it is now. */
export interface RoutineGround {
  readonly workspace: string;
  readonly model: Model;
  readonly table: Table;
}

/** What a routine is tried on. */
export interface Trial {
  readonly record: number;
  readonly inputs: Written;
}

/** A routine while it is designed, tried and saved. */
export class RoutineDesign {
  readonly draft: SteppedDraft<Written>;
  tried = $state.raw<RoutineTried | null>(null);
  /** As what it was tried, and on what. */
  private triedAs = $state.raw<{ readonly text: string; readonly trial: Trial } | null>(null);
  busy = $state<'' | 'saving' | 'trying'>('');

  constructor(
    start: Written,
    id: string | null,
    private readonly where: () => RoutineGround,
  ) {
    this.draft = new SteppedDraft(start, id, 'routine', shapeOf);
  }

  /** Null for one that was never saved. */
  get id(): string | null {
    return this.draft.id;
  }

  get json(): Written {
    return this.draft.now;
  }
  get ground(): RoutineGround {
    return this.where();
  }
  get canStepBack(): boolean {
    return this.draft.canStepBack;
  }
  readonly isChanged = $derived.by(() => this.draft.isChanged);

  private readonly read = $derived.by(() =>
    readRoutine(this.ground.model, this.ground.table, this.id ?? '', this.draft.now),
  );
  readonly routine = $derived.by((): Routine | null => (this.read.ok ? this.read.value : null));
  /** What keeps it from being saved, with its place. */
  readonly problem = $derived.by((): Problem | null =>
    !this.read.ok
      ? this.read.problem
      : this.read.value.label === ''
        ? { message: 'The routine has no name.', fix: 'Write one.', at: '/label' }
        : null,
  );
  /** What it does, in one sentence; blank while that cannot be said. */
  readonly sentence = $derived.by(() =>
    this.routine ? sentenceOf(this.ground.model, this.ground.table, this.routine) : '',
  );
  readonly scopes = $derived.by((): DraftScopes => draftScopes(this.ground.model, this.ground.table, this.draft.now));

  /** Whether what was tried last is what stands here, and went well. */
  readonly isTried = $derived.by(
    () => this.tried !== null && this.tried.problem === null && this.triedAs?.text === doesOf(this.draft.now),
  );

  change(more: Written): void {
    this.draft.change({ ...this.draft.now, ...more });
  }
  stepBack(): void {
    this.draft.stepBack();
  }

  private path = (rest = ''): string =>
    workspacePath(this.ground.workspace, `/tables/${this.ground.table.key}/routines${rest}`);

  /** Does it for a record and rolls it back. */
  async try(trial: Trial): Promise<Answer<RoutineTried>> {
    this.busy = 'trying';
    const json = this.draft.now;
    const answer = await this.tryAs(this.isChanged || this.id === null ? json : this.id, trial);
    this.busy = '';
    if (answer.ok) [this.tried, this.triedAs] = [answer.value, { text: doesOf(json), trial }];
    return answer;
  }

  private tryAs = (routine: Written | string, trial: Trial): Promise<Answer<RoutineTried>> =>
    call<RoutineTried>('POST', this.path('/try'), { routine, ...trial });

  /**
   * Saves it, over what it was begun with and no other. Only what is saved runs as tried, so that what was tried here
   * just now is tried once more as it is saved.
   */
  async save(on: boolean): Promise<Answer<SavedPart<Written>>> {
    this.busy = 'saving';
    const triedAs = this.isTried && this.tried?.met ? this.triedAs : null;
    const answer = await this.draft.save(this.path(), (now) => ({ ...now, on }));
    if (answer.ok && triedAs) {
      await this.tryAs(answer.value.id, triedAs.trial);
      // The server writes it its own way, and does the same.
      if (triedAs === this.triedAs) this.triedAs = { ...triedAs, text: doesOf(this.draft.saved) };
    }
    this.busy = '';
    return answer;
  }
}

/** What a routine does, whatever it is called and whether it is on. */
const doesOf = ({ label: _, on: __, ...does }: Written): string => JSON.stringify(does);

/** What is there, whatever is written in it. */
const shapeOf = (json: Written): string =>
  JSON.stringify(json, (key, value: unknown) =>
    typeof value === 'string' && key !== 'do' && key !== 'on' ? '' : value,
  );
