import { say } from '$core/base/say';
import { kindWord } from '$core/model/names/kindWords';
import { linkedTable } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { Field, FieldType } from '$core/types/field';
import { shownType } from '$core/formula/shownType';
import { wordsOf } from '$core/fieldTypes/json';
import { textOfJson } from '$core/fieldTypes/registry';
import { uiOf } from '../fieldTypes/registry';

/** A value as a text, as a person reads and copies it; instants on the clocks of the zone. */
export const textOf = (value: unknown, type: FieldType, zone = 'UTC'): string => textOfJson(value, type, { zone });

/** The text an editor begins with: what `parse` reads as the same value. */
export function editText(value: unknown, type?: FieldType, zone = 'UTC'): string {
  if (value === null || value === undefined) return '';
  return (type && uiOf(type).edit?.(value, type, zone)) ?? wordsOf(value);
}

export const isCalculated = (field: Field): boolean =>
  field.type.kind === 'formula' ||
  field.veiled === true ||
  (field.type.kind === 'counterpart' && field.type.over === undefined);

/** Columns that are aligned by their decimals: numbers, and the counts of reverse links. */
export const alignsRight = (model: Model, field: Field): boolean => {
  const type = shownType(model, field);
  const counts = type.kind === 'counterpart' && !(field.type.kind === 'counterpart' && field.type.over);
  return uiOf(type).alignsRight ?? (counts && linkedTable(model, field)?.many === true);
};

/** The type of a field in words: `number, kg`, `→ Hives`, `ƒ date`. */
export function typeWords(model: Model, field: Field): string {
  const { type } = field;
  const linked = linkedTable(model, field)?.table.label ?? '';
  if (type.kind === 'link') return `→ ${linked}${type.candidates ? `, ${say('limited')}` : ''}`;
  if (type.kind === 'counterpart') return `${type.over ? '⇉' : '←'} ${linked}`;
  if (type.kind === 'formula') return `ƒ ${kindWord(shownType(model, field).kind)}`;
  return field.veiled ? `calculated from fields that you may not see, ${kindAndSettings(type)}` : kindAndSettings(type);
}

/** A kind with what is set of it, in words: `number, 2 decimals, kg`. */
export const kindAndSettings = (type: FieldType): string =>
  [kindWord(type.kind), ...(uiOf(type).about?.(type) ?? [])].filter(Boolean).join(', ');
