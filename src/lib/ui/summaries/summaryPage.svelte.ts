import type { Problem } from '$core/base/problem';
import type { Written } from '$core/filled/written';
import { dependenciesOf } from '$core/flow/dependencies';
import type { Choice, Choices } from '$core/summaries/narrowing';
import { freePlace, putAt } from '$core/summaries/layout';
import { blockDescriptors } from '$core/summaries/blocks';
import { formulasOfSummary, readSummary } from '$core/summaries/summary';
import { newId } from '$core/types/identity';
import { findField } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { BlockKind, BlockPlace, Summary } from '$core/types/summary';
import type { BlockData } from '$server/summaries/data';
import { call, workspacePath, type Answer } from '../api';
import { SteppedDraft, type SavedPart } from '../steppedDraft.svelte';

/** A block as it is written. */
export type BlockJson = Written & {
  readonly id: string;
  readonly kind: BlockKind;
  readonly title: string;
  readonly place: BlockPlace;
};

const shapeOf = (json: Written): string =>
  JSON.stringify(json, (key, value: unknown) =>
    (key === 'title' || key === 'text' || key === 'label' || key === 'description') && typeof value === 'string'
      ? ''
      : value,
  );

/** A summary while it is read and changed: its blocks, what they show, and what is chosen in its filters. */
export class SummaryPage {
  readonly draft: SteppedDraft<Written>;
  personal = $state(true);
  private savedPersonal = $state(true);
  choices = $state.raw<Choices>({});
  data = $state.raw<ReadonlyMap<string, BlockData>>(new Map());
  problem = $state.raw<Problem | null>(null);
  reading = $state(false);
  private asked = 0;

  constructor(
    start: Written,
    id: string | null,
    personal: boolean,
    private readonly where: () => { readonly workspace: string; readonly model: Model },
  ) {
    this.draft = new SteppedDraft(start, id, 'summary', shapeOf);
    [this.personal, this.savedPersonal] = [personal, personal];
  }

  get id(): string | null {
    return this.draft.id;
  }
  get json(): Written {
    return this.draft.now;
  }
  get canStepBack(): boolean {
    return this.draft.canStepBack;
  }
  readonly isChanged = $derived.by(() => this.draft.isChanged || this.personal !== this.savedPersonal);
  readonly blocks = $derived.by(() => (this.draft.now.blocks ?? []) as readonly BlockJson[]);
  readonly filters = $derived.by(() => (this.draft.now.filters ?? []) as readonly Written[]);

  private readonly read = $derived.by(() => readSummary(this.where().model, this.id ?? '', this.draft.now, () => null));
  /** As it stands, where it can be read whole. */
  readonly summary = $derived.by((): Summary | null => (this.read.ok ? this.read.value : null));
  /** What keeps it from being saved, with its place. */
  readonly wrong = $derived.by((): Problem | null =>
    !this.read.ok
      ? this.read.problem
      : String(this.draft.now.label ?? '').trim() === ''
        ? { message: 'The summary has no name.', fix: 'Write one.', at: '/label' }
        : null,
  );
  /** The tables whose records can change what it shows. */
  readonly tables = $derived.by((): ReadonlySet<string> => {
    const { model } = this.where();
    const tables = new Set<string>();
    for (const block of this.summary?.blocks ?? []) if ('table' in block) tables.add(block.table);
    for (const { condition } of this.summary ? formulasOfSummary(this.summary, model) : [])
      for (const { path, field } of dependenciesOf(model, condition).on)
        for (const id of [...path, field]) tables.add(findField(model, id)?.table.id ?? '');
    return tables;
  });

  blockNamed(id: string | null): BlockJson | null {
    return this.blocks.find((one) => one.id === id) ?? null;
  }
  change(more: Written): void {
    this.draft.change({ ...this.draft.now, ...more });
  }
  changeBlock(id: string, more: Written): void {
    // Changed, it is no longer what used something that is gone.
    this.change({ blocks: this.blocks.map((one) => (one.id === id ? { ...one, ...more, lost: undefined } : one)) });
  }
  put(id: string, place: BlockPlace): void {
    this.change({ blocks: putAt(this.blocks, id, place) });
  }
  add(kind: BlockKind, given: Written): string {
    const id = newId('a');
    const block = { id, kind, title: '', place: freePlace(this.blocks, blockDescriptors[kind].size), ...given };
    this.change({ blocks: [...this.blocks, block] });
    return id;
  }
  remove(id: string): void {
    this.change({ blocks: this.blocks.filter((one) => one.id !== id) });
  }
  follow(saved: Written, personal: boolean): void {
    if (!this.isChanged) [this.personal, this.savedPersonal] = [personal, personal];
    this.draft.follow(saved);
  }
  stepBack(): void {
    this.draft.stepBack();
  }

  choose(filter: string, choice: Choice | null): void {
    const { [filter]: _, ...others } = this.choices;
    this.choices = choice === null ? others : { ...others, [filter]: choice };
  }

  private path = (rest = ''): string => workspacePath(this.where().workspace, `/summaries${rest}`);

  /** Reads what all blocks show; the latest reading counts. */
  async readData(): Promise<void> {
    const mine = ++this.asked;
    this.reading = true;
    const chosen = JSON.stringify(this.choices);
    const answer =
      this.isChanged || this.id === null
        ? await this.tried()
        : await call<{ items: BlockData[] }>(
            'GET',
            this.path(`/${this.id}/data?${new URLSearchParams({ filters: chosen })}`),
          );
    if (mine !== this.asked) return;
    this.reading = false;
    if (!answer.ok) return void (this.problem = answer.problem);
    this.problem = null;
    this.data = new Map([...this.data, ...answer.value.items.map((one) => [one.id, one] as const)]);
  }

  /** What is not saved is worked out as far as it can be read: a block that cannot says why in its place. */
  private tried(): Promise<Answer<{ items: BlockData[] }>> {
    const { model } = this.where();
    const bare = { ...this.draft.now, label: 'x', description: '', groups: [] };
    const blocks = this.blocks.filter((block) => readSummary(model, '', { ...bare, blocks: [block] }).ok);
    return call('POST', this.path('/try'), { summary: { ...bare, blocks }, filters: this.choices });
  }

  /** Why a block cannot be worked out as it is written; null where it can. */
  problemOf(block: BlockJson): Problem | null {
    const read = readSummary(this.where().model, '', { ...this.draft.now, filters: [], blocks: [block] });
    return read.ok ? null : read.problem;
  }

  async save(): Promise<Answer<SavedPart<Written>>> {
    const { personal } = this;
    const answer = await this.draft.save(this.path(), undefined, { personal });
    if (answer.ok) this.savedPersonal = personal;
    return answer;
  }

  /** Where programs read the records behind a row of a block. */
  behind(block: string, values: readonly unknown[], against: boolean): string {
    const query = { values: JSON.stringify(values), against: String(against), filters: JSON.stringify(this.choices) };
    return this.path(`/${this.id}/blocks/${block}/records?${new URLSearchParams(query)}`);
  }
}
