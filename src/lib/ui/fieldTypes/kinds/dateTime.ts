import { dateTime as instant } from '$core/fieldTypes/dateTime';
import { plainReading } from '$core/fieldTypes/kind';
import DayEditor from '../editors/DayEditor.svelte';
import type { FieldUi } from '../kind';

const onClocks = (value: unknown, _: unknown, zone: string): string =>
  instant.print(String(value), { kind: 'dateTime' }, { ...plainReading, zone });

export const dateTime: FieldUi<'dateTime'> = {
  group: 'Time',
  width: 142,
  edit: onClocks,
  Editor: () => DayEditor,
  input: {
    line: 'datetime-local',
    // Instants end in their zone.
    isWritten: (text) => !text.endsWith('Z'),
    shown: (text) => text.replace(' ', 'T').slice(0, 16),
    written: (text) => text.replace('T', ' '),
  },
  draft: {
    ruled: () => ({ kind: 'dateTime' }),
    reads: { kind: 'dateTime' },
    readings: 'dateOrder',
    begins: { value: 'today', name: 'today' },
  },
  pasted: { 'date and time': () => ({}), time: () => ({}), timestamp: () => ({}) },
};
