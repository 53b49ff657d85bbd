import RatingCell from '../cells/RatingCell.svelte';
import RatingEditor from '../editors/RatingEditor.svelte';
import type { FieldUi } from '../kind';
import { meanText } from '../numberText';

export const rating: FieldUi<'rating'> = {
  group: 'Numbers',
  width: 110,
  about: ({ most }) => [`1 to ${most}`],
  mean: (value) => meanText(value, 1),
  chosen: true,
  Cell: RatingCell,
  Editor: () => RatingEditor,
  input: {
    control: 'words',
    words: (value, { most }) => ({
      choices: Array.from({ length: most }, (_, index) => ({ label: String(index + 1), value: String(index + 1) })),
      chosen: value === null ? [] : [String(value)],
      many: false,
      take: ([step]) => (step === undefined ? null : Number(step)),
    }),
  },
  draft: {
    from: ({ most }) => ({ most: String(most) }),
    to: ({ most }) => ({ most: Number(most) }),
    ruled: () => ({ kind: 'rating', most: 10 }),
    settings: () => import('../settings/RatingSettings.svelte'),
  },
  pasted: { rating: (most) => (/^\d+$/.test(most) ? { most } : {}) },
};
