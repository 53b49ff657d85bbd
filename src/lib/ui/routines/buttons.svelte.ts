import { untrack } from 'svelte';
import { findTable, tableNamed } from '$core/model/model';
import type { Written } from '$core/filled/written';
import type { Field } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import type { ButtonOut } from '$server/routines/routines';
import { call, workspacePath } from '../api';
import type { Notices } from '../frame/notices.svelte';
import type { Sends } from '../records/recordWork.svelte';
import { counted } from '../values/words';

interface Where {
  readonly workspace: string;
  readonly model: Model;
  readonly table: Table;
  /** That of the structure. */
  readonly version: number;
}

/** The routines that are run by hand for records of a table: which there are, what is asked, and what came of it. */
export class RunByHand {
  all = $state.raw<readonly ButtonOut[]>([]);
  /** What is about to be run, and for which records. */
  asked = $state.raw<{
    readonly button: ButtonOut;
    readonly records: readonly number[];
    readonly sends?: Sends;
  } | null>(null);
  busy = $state(false);

  constructor(
    private readonly where: () => Where,
    private readonly notices: Notices,
  ) {
    $effect(() => {
      void this.name;
      untrack(() => void this.read());
    });
  }

  /** Where it is read; anew as the structure changes: a routine may be switched on meanwhile. */
  private readonly name = $derived.by(() => {
    const { workspace, table, version } = this.where();
    return `${workspace} ${table.key} ${version}`;
  });

  private async read(): Promise<void> {
    const [{ workspace, table }, asked] = [this.where(), this.name];
    const answer = await call<{ items: ButtonOut[] }>('GET', workspacePath(workspace, `/tables/${table.key}/buttons`));
    if (this.name === asked) this.all = answer.ok ? answer.value.items : [];
  }

  /** Runs one at once, or asks first: for its values, and where it is for many. */
  begin(button: ButtonOut, records: readonly number[]): void {
    if (records.length === 0)
      this.notices.refused({ message: 'No record is selected.', fix: 'Select some, then run it for them.' });
    else if (button.inputs.length > 0 || records.length > 1) this.asked = { button, records };
    else void this.run(button, records, {});
  }

  async run(button: ButtonOut, records: readonly number[], inputs: Written): Promise<boolean> {
    const { workspace } = this.where();
    this.busy = true;
    const path = workspacePath(workspace, `/routines/${button.id}/run`);
    const answer = await call<{ batch: number | null; records: number }>(
      'POST',
      path,
      {
        records,
        inputs,
        ask: !this.asked?.sends,
      },
      true,
    );
    this.busy = false;
    if (!answer.ok) {
      const { sends } = answer.problem as { sends?: Sends };
      if (sends) this.asked = { button, records, sends };
      else this.notices.refused(answer.problem);
      return false;
    }
    this.asked = null;
    const { batch } = answer.value;
    const undo = batch === null ? undefined : { label: 'Undo', run: () => void this.undo(batch) };
    this.notices.done(`“${button.label}” is done for ${counted(answer.value.records, 'record')}.`, undo);
    return true;
  }

  private async undo(batch: number): Promise<void> {
    const answer = await call('POST', workspacePath(this.where().workspace, `/batches/${batch}/undo`));
    if (answer.ok) this.notices.done('Undone.');
    else this.notices.refused(answer.problem);
  }

  /** What a button asks for, as fields. */
  fieldsOf({ inputs }: ButtonOut): Field[] {
    const { model } = this.where();
    return inputs.flatMap(({ key, label, type, to, required }) => {
      const target = to === null ? undefined : (tableNamed(model, to) ?? findTable(model, to));
      const shape =
        to === null ? { kind: type } : { kind: 'link', to: target?.id ?? '', onDelete: 'clear', counterpart: '' };
      return [{ id: key, key, label, help: '', required, unique: false, type: shape } as Field];
    });
  }
}
