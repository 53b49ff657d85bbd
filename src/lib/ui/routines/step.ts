import type { Component } from 'svelte';
import BookmarkPlus from '@lucide/svelte/icons/bookmark-plus';
import Globe from '@lucide/svelte/icons/globe';
import ListPlus from '@lucide/svelte/icons/list-plus';
import Mail from '@lucide/svelte/icons/mail';
import OctagonMinus from '@lucide/svelte/icons/octagon-minus';
import PenLine from '@lucide/svelte/icons/pen-line';
import Plus from '@lucide/svelte/icons/plus';
import Repeat from '@lucide/svelte/icons/repeat';
import SearchCheck from '@lucide/svelte/icons/search-check';
import type { Written } from '$core/filled/written';
import type { Scope } from '$core/routines/scope';
import type { Model } from '$core/types/model';
import type { StepKind } from '$core/types/routine';
import type { RoutineDesign } from './routineDesign.svelte';
import CallForm from './steps/CallForm.svelte';
import EachForm from './steps/EachForm.svelte';
import FindForm from './steps/FindForm.svelte';
import MakeForm from './steps/MakeForm.svelte';
import NamesForm from './steps/NamesForm.svelte';
import OptionForm from './steps/OptionForm.svelte';
import SetForm from './steps/SetForm.svelte';
import StopForm from './steps/StopForm.svelte';
import WriteForm from './steps/WriteForm.svelte';

/** What a list of steps gets. */
export interface StepListProps {
  readonly model: Model;
  readonly design: RoutineDesign;
  /** What the first of them reads. */
  readonly scope: Scope;
  readonly steps: readonly Written[];
  readonly place: string;
  readonly onchange: (steps: readonly Written[]) => void;
}

/** What the form of every step gets. */
export interface StepFormProps {
  readonly model: Model;
  /** What the step reads. */
  readonly scope: Scope;
  /** The step as programs write it. */
  readonly step: Written;
  /** Its place in the routine. */
  readonly place: string;
  readonly design: RoutineDesign;
  /** Draws the steps within it. */
  readonly Steps: Component<StepListProps>;
  readonly onchange: (step: Written) => void;
}

interface StepUi {
  readonly icon: typeof Plus;
  readonly form: Component<StepFormProps>;
  /** What a new one begins with. */
  readonly begin: Written;
}

/** The registry: how each kind of step is designed on a page. */
export const stepUis: Readonly<Record<StepKind, StepUi>> = {
  set: { icon: PenLine, form: SetForm, begin: { fields: [] } },
  make: { icon: Plus, form: MakeForm, begin: { table: '', fields: [] } },
  find: { icon: SearchCheck, form: FindForm, begin: { table: '', by: [], make: true, fields: [] } },
  each: { icon: Repeat, form: EachForm, begin: { over: '', steps: [] } },
  names: { icon: ListPlus, form: NamesForm, begin: { text: '', separator: ',', table: '', field: '', link: '' } },
  option: { icon: BookmarkPlus, form: OptionForm, begin: { table: '', field: '', word: '' } },
  write: { icon: Mail, form: WriteForm, begin: { to: [], subject: '', text: '' } },
  call: { icon: Globe, form: CallForm, begin: { address: '', values: {} } },
  stop: { icon: OctagonMinus, form: StopForm, begin: { when: '' } },
};
