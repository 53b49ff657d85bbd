import ProgressCell from '../cells/ProgressCell.svelte';
import ProgressEditor from '../editors/ProgressEditor.svelte';
import { hundredths } from '$core/fieldTypes/percent';
import type { FieldUi } from '../kind';
import { meanText, withPoint } from '../numberText';

/** A share is meant in hundredths, and stands there without its sign. */
export const shareInput = {
  line: 'decimal',
  unit: () => '%',
  isWritten: (text: string) => text.endsWith('%'),
  shown: (text: string) => text.replace(/\s*%$/, ''),
  written: (text: string) => `${withPoint(text.replace(/\s*%$/, ''))} %`,
} as const;

export const progress: FieldUi<'progress'> = {
  group: 'Numbers',
  width: 140,
  edit: (value) => `${hundredths(value)} %`,
  isNumber: () => true,
  mean: (value) => `${meanText(value * 100, 1)} %`,
  Cell: ProgressCell,
  Editor: () => ProgressEditor,
  input: shareInput,
  draft: { ruled: () => ({ kind: 'progress' }), reads: { kind: 'progress' } },
  pasted: { progress: () => ({}) },
};
