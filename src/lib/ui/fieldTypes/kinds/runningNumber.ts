import type { FieldUi } from '../kind';

export const runningNumber: FieldUi<'runningNumber'> = {
  group: 'Numbers',
  width: 110,
  about: ({ pattern }) => [pattern],
  draft: {
    from: ({ pattern }) => ({ pattern }),
    to: ({ pattern }) => ({ pattern }),
    noDefault: true,
    settings: () => import('../settings/RunningNumberSettings.svelte'),
  },
  pasted: { 'running number': (pattern) => ({ pattern: pattern || '{000}' }) },
};
