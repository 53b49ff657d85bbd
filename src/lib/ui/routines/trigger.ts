import type { Component } from 'svelte';
import type { Written } from '$core/filled/written';
import type { Model, Table } from '$core/types/model';
import type { TriggerKind } from '$core/types/routine';
import ButtonForm from './triggers/ButtonForm.svelte';
import ChangedForm from './triggers/ChangedForm.svelte';
import ComesTrueForm from './triggers/ComesTrueForm.svelte';
import DateNearForm from './triggers/DateNearForm.svelte';
import SentForm from './triggers/SentForm.svelte';
import TimetableForm from './triggers/TimetableForm.svelte';

/** What the form of every trigger gets. */
export interface TriggerFormProps {
  readonly model: Model;
  readonly table: Table;
  /** The trigger as programs write it. */
  readonly when: Written;
  readonly onchange: (when: Written) => void;
}

interface TriggerUi {
  /** Null where there is nothing to say beyond its kind. */
  readonly form: Component<TriggerFormProps> | null;
  readonly begin: Written;
}

/** The registry: how each kind of trigger is designed on a page. */
export const triggerUis: Readonly<Record<TriggerKind, TriggerUi>> = {
  made: { form: null, begin: {} },
  changed: { form: ChangedForm, begin: { fields: [] } },
  comesTrue: { form: ComesTrueForm, begin: { condition: '' } },
  sent: { form: SentForm, begin: {} },
  dateNear: { form: DateNearForm, begin: { field: '', days: -3, hour: 7 } },
  timetable: { form: TimetableForm, begin: { every: 'day', hour: 7 } },
  button: { form: ButtonForm, begin: { inputs: [] } },
};
