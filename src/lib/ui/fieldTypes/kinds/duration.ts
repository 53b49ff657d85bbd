import { duration as span, readDuration } from '$core/fieldTypes/duration';
import { plainReading } from '$core/fieldTypes/kind';
import type { TypeOf } from '$core/types/field';
import type { FieldUi } from '../kind';

function shown(value: unknown, type: TypeOf<'duration'>): string {
  const seconds = readDuration(String(value));
  return seconds.ok ? span.print(seconds.value, type, plainReading) : String(value);
}

export const duration: FieldUi<'duration'> = {
  group: 'Time',
  width: 96,
  alignsRight: true,
  edit: shown,
  shape: () => 'hours:minutes',
  draft: { ruled: () => ({ kind: 'duration' }) },
  pasted: { duration: () => ({}) },
};
