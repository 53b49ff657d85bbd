import { checkForm } from '$core/forms/checkForm';
import { missingOn, standingForm } from '$core/forms/form';
import type { Form } from '$core/types/form';
import { readForm, type FormItemJson, type FormJson } from '$core/forms/formJson';
import { fieldNamed } from '$core/model/model';
import type { Model, Table } from '$core/types/model';
import type { Field } from '$core/types/field';
import type { Problem } from '$core/base/problem';
import type { Answer } from '../../api';
import { SteppedDraft, type SavedPart } from '../../steppedDraft.svelte';
import { addItem, chosenBy, itemAt, newItem, placeOf, type Chosen, type ItemPlace } from './design';

/** What a form is designed on: the structure as it is now, and where the API has the table's forms. */
export interface DesignGround {
  readonly model: Model;
  readonly table: Table;
  readonly path: string;
}

/**
 * A form while it is designed: as it is now beside how it is saved, what is chosen and what is wrong, and the way back
 * over each step.
 */
export class FormDesign {
  chosen = $state.raw<Chosen>({ kind: 'form' });
  readonly draft: SteppedDraft<FormJson>;

  constructor(
    start: FormJson,
    id: string | null,
    private readonly where: () => DesignGround,
  ) {
    this.draft = new SteppedDraft(start, id, 'form', shapeOf);
  }

  /** Null for one that was never saved. */
  get id(): string | null {
    return this.draft.id;
  }

  get json(): FormJson {
    return this.draft.now;
  }

  get saved(): FormJson {
    return this.draft.saved;
  }

  get ground(): DesignGround {
    return this.where();
  }

  readonly isChanged = $derived.by(() => this.draft.isChanged);

  private readonly read = $derived.by(() => readForm(this.ground.model, this.ground.table, this.id ?? '', this.json));

  /** The form as it would stand; null while something written in it cannot be read. */
  readonly form = $derived.by((): Form | null =>
    this.read.ok ? standingForm(this.ground.model, this.ground.table, this.read.value) : null,
  );

  /** What keeps it from being saved: a name that is missing, a limit that nobody has given. */
  readonly problem = $derived.by((): Problem | null => {
    const checked = this.read.ok ? checkForm(this.ground.model, this.ground.table, this.read.value) : this.read;
    return checked.ok ? null : checked.problem;
  });

  /** Fields without which no entry could be saved. */
  readonly missing = $derived.by((): Field[] => (this.read.ok ? missingOn(this.ground.table, this.read.value) : []));

  get canStepBack(): boolean {
    return this.draft.canStepBack;
  }

  /** The item that is chosen, where it stands, and its field. */
  readonly chosenItem = $derived.by((): { place: ItemPlace; item: FormItemJson; field: Field } | null => {
    const { chosen } = this;
    const place = chosen.kind === 'item' ? placeOf(this.json, chosen.name) : null;
    const item = place && itemAt(this.json, place);
    const field = chosen.kind === 'item' ? fieldNamed(this.ground.table, chosen.name) : undefined;
    return place && item && field ? { place, item, field } : null;
  });

  choose(chosen: Chosen): void {
    this.chosen = chosen;
  }

  /** Makes it another one. */
  change(next: FormJson, chosen: Chosen = this.chosen): void {
    this.draft.change(next);
    this.chosen = chosen;
  }

  stepBack(): void {
    this.draft.stepBack();
  }

  /** Puts a field at the end of the section that is chosen, or of the last one. */
  add(field: Field): void {
    const at =
      this.chosen.kind === 'section'
        ? this.chosen.at
        : (this.chosenItem?.place.section ?? this.json.sections.length - 1);
    const place = { section: at, index: this.json.sections[at]?.items.length ?? 0 };
    this.change(addItem(this.json, newItem(field), place), { kind: 'item', name: field.key });
  }

  /** Chooses the part that the problem is about. */
  goToProblem(): void {
    this.choose(chosenBy(this.json, this.problem));
  }

  /** Saves it, over the design that it was begun with and no other; answers its id. */
  save(): Promise<Answer<SavedPart<FormJson>>> {
    return this.draft.save(this.ground.path);
  }
}

/** What stands where, whatever is said of it. */
const shapeOf = ({ sections }: FormJson): string =>
  sections.map(({ items }) => items.map((item) => ('list' in item ? item.list : item.field)).join()).join(';');
