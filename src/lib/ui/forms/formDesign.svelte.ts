import { checkForm } from '$core/forms/checkForm';
import { missingOn, standingForm, type Form } from '$core/forms/form';
import { readForm, type FormJson } from '$core/forms/formJson';
import type { Field, Model, Table } from '$core/model/model';
import type { Problem } from '$core/problem';
import { call, type Answer } from '../api';

/** A form while it is designed: as it is now beside how it is saved, what is amiss with it, and the way back over each step. */
export class FormDesign {
  json = $state.raw<FormJson>() as FormJson;
  saved = $state.raw<FormJson>() as FormJson;
  private steps = $state.raw<readonly FormJson[]>([]);
  private lastAt = 0;

  constructor(
    start: FormJson,
    /** Null for one that was never saved. */
    readonly id: string | null,
    private readonly where: () => { model: Model; table: Table; path: string },
  ) {
    this.json = start;
    this.saved = start;
  }

  readonly isChanged = $derived.by(() => this.id === null || JSON.stringify(this.json) !== JSON.stringify(this.saved));

  private readonly read = $derived.by(() => readForm(this.where().model, this.where().table, this.id ?? '', this.json));

  /** The form as it would stand; null while something written in it cannot be read. */
  readonly form = $derived.by((): Form | null => (this.read.ok ? standingForm(this.where().model, this.where().table, this.read.value) : null));

  /** What keeps it from being saved: a name that is missing, a limit that nobody has given. */
  readonly problem = $derived.by((): Problem | null => {
    const { model, table } = this.where();
    const checked = this.read.ok ? checkForm(model, table, this.read.value) : this.read;
    return checked.ok ? null : checked.problem;
  });

  /** Fields without which no entry could be saved. */
  readonly missing = $derived.by((): Field[] => (this.read.ok ? missingOn(this.where().table, this.read.value) : []));

  readonly canStepBack = $derived.by(() => this.steps.length > 0);

  /** Makes it another one. What is written in one go, letter by letter, is one step. */
  change(next: FormJson, now = Date.now()): void {
    const inOneGo = now - this.lastAt < 700 && this.steps.length > 0 && shapeOf(next) === shapeOf(this.json);
    if (!inOneGo) this.steps = [...this.steps.slice(-99), this.json];
    this.lastAt = now;
    this.json = next;
  }

  stepBack(): void {
    const last = this.steps.at(-1);
    if (!last) return;
    this.steps = this.steps.slice(0, -1);
    this.lastAt = 0;
    this.json = last;
  }

  /** Saves it; answers its id. */
  async save(): Promise<Answer<{ id: string }>> {
    const { path } = this.where();
    const form = this.json;
    const answer = await (this.id === null
      ? call<{ id: string }>('POST', path, { form }, true)
      : call<{ id: string }>('PATCH', `${path}/${this.id}`, { form }));
    if (answer.ok) this.saved = form;
    return answer;
  }
}

/** What stands where, whatever is said of it. */
const shapeOf = ({ sections }: FormJson): string =>
  sections.map(({ items }) => items.map((item) => ('list' in item ? item.list : item.field)).join()).join(';');
