import { kindWords } from '$core/model/kindWords';
import { linkedTable } from '$core/model/model';
import type { Model } from '$core/types/model';
import type { Field, FieldType } from '$core/types/field';
import { shownType } from '$core/model/shownType';
import { dateTime } from '$core/fieldTypes/dateTime';
import { duration, readDuration } from '$core/fieldTypes/duration';
import { wordsOf } from '$core/fieldTypes/json';
import { plainReading } from '$core/fieldTypes/kind';
import { canonicalNumber, Exact } from '$core/fieldTypes/number';

const hundredths = (value: unknown): string => canonicalNumber(new Exact(String(value)).times(100));

/** A value as a text, as a person reads and copies it; instants on the clocks of the zone. */
export function textOf(value: unknown, type: FieldType, zone = 'UTC'): string {
  if (value === null || value === undefined) return '';
  switch (type.kind) {
    case 'number':
      return `${numberText(value as string | number, type.digits)}${type.unit ? ` ${type.unit}` : ''}`;
    case 'percent':
      return `${numberText(hundredths(value), type.digits)} %`;
    case 'progress':
      return `${numberText(hundredths(value), null)} %`;
    case 'rating':
      return '★'.repeat(Number(value));
    case 'money': {
      const { amount, currency } =
        typeof value === 'object'
          ? (value as { amount: number | string; currency: string })
          : { amount: value as number | string, currency: type.currency ?? '' };
      return `${numberText(amount, type.digits)} ${currency}`;
    }
    case 'dateTime':
      return dateTime.print(String(value), { kind: 'dateTime' }, { ...plainReading, zone });
    case 'duration': {
      const seconds = readDuration(String(value));
      return seconds.ok ? duration.print(seconds.value, type, plainReading) : String(value);
    }
    default:
      return wordsOf(value);
  }
}

/** A number in the reader's way of writing, all of its digits kept. */
export function numberText(value: string | number, digits: number | null): string {
  const [whole = '0', fraction = ''] = String(value).split('.');
  const shown = digits === null ? fraction : fraction.padEnd(digits, '0');
  const sign = new Intl.NumberFormat().formatToParts(1.1).find(({ type }) => type === 'decimal')?.value ?? '.';
  const grouped = BigInt(whole === '-' ? 0 : whole).toLocaleString();
  const negative = whole.startsWith('-') && !grouped.startsWith('-') ? '-' : '';
  return negative + grouped + (shown ? sign + shown : '');
}

/** The text an editor begins with: what `parse` reads as the same value. */
export function editText(value: unknown, type?: FieldType, zone = 'UTC'): string {
  if (value === null || value === undefined) return '';
  switch (type?.kind) {
    case 'percent':
    case 'progress':
      return `${hundredths(value)} %`;
    case 'money':
      return typeof value === 'object' ? wordsOf(value) : String(value);
    case 'dateTime':
    case 'duration':
      return textOf(value, type, zone);
    default:
      return wordsOf(value);
  }
}

export const isCalculated = (field: Field): boolean =>
  field.type.kind === 'formula' ||
  field.veiled === true ||
  (field.type.kind === 'counterpart' && field.type.over === undefined);

/** Kinds whose columns are aligned by their decimals. */
export const alignsRight = (model: Model, field: Field): boolean => {
  const { kind } = shownType(model, field);
  return (
    ['number', 'money', 'percent', 'duration'].includes(kind) ||
    (kind === 'counterpart' &&
      linkedTable(model, field)?.many === true &&
      !(field.type.kind === 'counterpart' && field.type.over))
  );
};

/** The type of a field in words: `number, kg`, `→ Hives`, `ƒ date`. */
export function typeWords(model: Model, field: Field): string {
  const { type } = field;
  const listed = (...parts: (string | undefined)[]) =>
    [field.veiled ? 'calculated from fields that you may not see' : '', kindWords[type.kind], ...parts]
      .filter(Boolean)
      .join(', ');
  switch (type.kind) {
    case 'number':
    case 'percent': {
      const decimals =
        type.digits === 0
          ? 'whole'
          : type.digits === null
            ? ''
            : type.digits === 1
              ? '1 decimal'
              : `${type.digits} decimals`;
      return listed(decimals, type.kind === 'number' ? type.unit : '');
    }
    case 'money':
      return listed(type.currency ?? 'any currency');
    case 'option':
    case 'options':
      return listed(String(type.options.length), type.open ? 'open' : '');
    case 'rating':
      return listed(`1 to ${type.most}`);
    case 'runningNumber':
      return listed(type.pattern);
    case 'longText':
      return listed(type.markdown ? 'Markdown' : '');
    case 'link':
      return `→ ${linkedTable(model, field)?.table.label ?? ''}${type.candidates ? ', limited' : ''}`;
    case 'counterpart':
      return `${type.over ? '⇉' : '←'} ${linkedTable(model, field)?.table.label ?? ''}`;
    case 'formula':
      return `ƒ ${kindWords[shownType(model, field).kind]}`;
    default:
      return kindWords[type.kind];
  }
}
