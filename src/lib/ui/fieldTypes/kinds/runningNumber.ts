import type { FieldUi } from '../kind';
import RunningNumberSettings from '../settings/RunningNumberSettings.svelte';

export const runningNumber: FieldUi<'runningNumber'> = {
  group: 'Numbers',
  width: 110,
  about: ({ pattern }) => [pattern],
  draft: {
    from: ({ pattern }) => ({ pattern }),
    to: ({ pattern }) => ({ pattern }),
    noDefault: true,
    Settings: RunningNumberSettings,
  },
  pasted: { 'running number': (pattern) => ({ pattern: pattern || '{000}' }) },
};
