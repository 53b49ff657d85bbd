import type { FieldType } from '$core/types/field';
import type { FormInputUi } from '../../fieldTypes/kind';
import { uiOf } from '../../fieldTypes/registry';
import { editText } from '../../values/show';

const inputOf = (type: FieldType): FormInputUi<FieldType['kind']> => uiOf(type).input ?? {};

/**
 * What a plain input shows of a value, or of what was written in it: days and times as browsers write them, a share
 * without its sign.
 */
export function inputText(value: unknown, type: FieldType, zone: string): string {
  const { isWritten, shown } = inputOf(type);
  const text = typeof value === 'string' && isWritten?.(value) ? value : editText(value, type, zone);
  return shown?.(text) ?? text;
}

/** What was written as programs send it; blank is null. */
export function writtenValue(text: string, type: FieldType): unknown {
  const trimmed = text.trim();
  if (trimmed === '') return null;
  const { written } = inputOf(type);
  return written ? written(trimmed) : text;
}

/** How a browser helps to write a value: the kind of its input, the keys of its screen, what it knows of the person. */
export function inputKind(type: FieldType): {
  readonly type: 'text' | 'date' | 'datetime-local' | 'email' | 'url' | 'tel';
  readonly inputmode?: 'decimal';
  readonly autocomplete?: 'email' | 'tel';
} {
  const { line } = inputOf(type);
  switch (line) {
    case 'decimal':
      // Behind an amount without a currency of its own one is written.
      return { type: 'text', ...(uiOf(type).isNumber?.(type) ? { inputmode: line } : {}) };
    case 'email':
    case 'tel':
      return { type: line, autocomplete: line };
    default:
      return { type: line ?? 'text' };
  }
}

/** What stands behind the input: the unit of its number. */
export const unitOf = (type: FieldType): string => inputOf(type).unit?.(type) ?? '';
