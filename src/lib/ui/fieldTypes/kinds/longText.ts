import LongTextCell from '../cells/LongTextCell.svelte';
import LongTextEditor from '../editors/LongTextEditor.svelte';
import type { FieldUi } from '../kind';

export const longText: FieldUi<'longText'> = {
  group: 'Words',
  width: 220,
  about: ({ markdown }) => [markdown ? 'Markdown' : ''],
  Cell: LongTextCell,
  Editor: () => LongTextEditor,
  input: { control: 'area' },
  draft: {
    from: ({ markdown }) => ({ markdown: markdown ?? false }),
    to: ({ markdown }) => ({ markdown }),
    ruled: () => ({ kind: 'longText' }),
    settings: () => import('../settings/LongTextSettings.svelte'),
  },
  pasted: { 'long text': () => ({}), notes: () => ({}), markdown: () => ({ markdown: true }) },
};
