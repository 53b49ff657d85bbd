import type { FieldUi } from '../kind';
import TextSettings from '../settings/TextSettings.svelte';

export const text: FieldUi<'text'> = {
  group: 'Words',
  input: { plain: true },
  draft: {
    from: ({ maxLength }) => ({ maxLength: maxLength === undefined ? '' : String(maxLength) }),
    to: ({ maxLength }) => ({ maxLength: maxLength === '' ? null : Number(maxLength) }),
    ruled: () => ({ kind: 'text' }),
    Settings: TextSettings,
  },
  pasted: { text: () => ({}) },
};
