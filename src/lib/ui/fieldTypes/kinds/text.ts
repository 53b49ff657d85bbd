import type { FieldUi } from '../kind';

export const text: FieldUi<'text'> = {
  group: 'Words',
  input: { plain: true },
  draft: {
    from: ({ maxLength }) => ({ maxLength: maxLength === undefined ? '' : String(maxLength) }),
    to: ({ maxLength }) => ({ maxLength: maxLength === '' ? null : Number(maxLength) }),
    ruled: () => ({ kind: 'text' }),
    settings: () => import('../settings/TextSettings.svelte'),
  },
  pasted: { text: () => ({}) },
};
