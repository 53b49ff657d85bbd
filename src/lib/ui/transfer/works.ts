import type { Component } from 'svelte';
import ArrowRightLeft from '@lucide/svelte/icons/arrow-right-left';
import Columns3 from '@lucide/svelte/icons/columns-3';
import CopyMinus from '@lucide/svelte/icons/copy-minus';
import FoldHorizontal from '@lucide/svelte/icons/fold-horizontal';
import Merge from '@lucide/svelte/icons/merge';
import PaintBucket from '@lucide/svelte/icons/paint-bucket';
import Rows3 from '@lucide/svelte/icons/rows-3';
import Split from '@lucide/svelte/icons/split';
import Tags from '@lucide/svelte/icons/tags';
import Waypoints from '@lucide/svelte/icons/waypoints';
import type { WorkName } from '$core/types/transfer';
import type { FormProps } from './form';
import ColumnsForm from './forms/ColumnsForm.svelte';
import FeedForm from './forms/FeedForm.svelte';
import FillForm from './forms/FillForm.svelte';
import FoldForm from './forms/FoldForm.svelte';
import JoinForm from './forms/JoinForm.svelte';
import MergeForm from './forms/MergeForm.svelte';
import MoveForm from './forms/MoveForm.svelte';
import RekeyForm from './forms/RekeyForm.svelte';
import RowsForm from './forms/RowsForm.svelte';
import SplitForm from './forms/SplitForm.svelte';

/** How a work is shown. */
interface WorkUi {
  readonly icon: Component<{ size?: number }>;
  readonly form: Component<FormProps>;
  /** What the button says. */
  readonly does: string;
  /** What is missing while there is no plan. */
  readonly waits: string;
}

/** The registry: each work stands here once. */
export const workUis: { readonly [K in WorkName]: WorkUi } = {
  move: {
    icon: ArrowRightLeft,
    form: MoveForm,
    does: 'Move the records',
    waits: 'Choose which records go, and where to.',
  },
  merge: { icon: Merge, form: MergeForm, does: 'Merge the tables', waits: 'Choose two or more tables, and a name.' },
  splitOff: {
    icon: Split,
    form: SplitForm,
    does: 'Split the table off',
    waits: 'Choose the key, the columns it decides, and a name.',
  },
  foldIn: {
    icon: FoldHorizontal,
    form: FoldForm,
    does: 'Fold the table in',
    waits: 'Choose a table and one of its links.',
  },
  toRows: {
    icon: Rows3,
    form: RowsForm,
    does: 'Turn the columns into rows',
    waits: 'Choose columns, and name the new table.',
  },
  toColumns: {
    icon: Columns3,
    form: ColumnsForm,
    does: 'Turn the rows into columns',
    waits: 'Choose the table, its link, and what names the columns.',
  },
  join: {
    icon: CopyMinus,
    form: JoinForm,
    does: 'Join the duplicates',
    waits: 'Choose a table, and what its records are alike by; then confirm groups.',
  },
  fill: {
    icon: PaintBucket,
    form: FillForm,
    does: 'Fill the field',
    waits: 'Choose records and a field, and write a formula.',
  },
  rekey: {
    icon: Tags,
    form: RekeyForm,
    does: 'Change the codes',
    waits: 'Choose the field, and paste old and new codes.',
  },
  feed: {
    icon: Waypoints,
    form: FeedForm,
    does: 'Feed the table',
    waits: 'Choose the tables that it is fed from, and its name.',
  },
};
