import DayEditor from '../editors/DayEditor.svelte';
import type { FieldUi } from '../kind';

export const date: FieldUi<'date'> = {
  group: 'Time',
  width: 108,
  Editor: () => DayEditor,
  input: { line: 'date' },
  draft: {
    ruled: () => ({ kind: 'date' }),
    reads: { kind: 'date' },
    readings: 'dateOrder',
    begins: { value: 'today', name: 'today' },
  },
  pasted: { date: () => ({}), day: () => ({}) },
};
