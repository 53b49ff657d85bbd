import { shownType, tableOf, type Field, type FieldType, type Model } from '$core/model/model';

/** A value as text, as a person reads and copies it. */
export function textOf(value: unknown, type: FieldType): string {
  if (value === null || value === undefined) return '';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'object') return 'title' in value ? String(value.title) : 'count' in value ? String(value.count) : '';
  if (type.kind === 'number') return `${numberText(value as string | number, type.digits)}${type.unit ? ` ${type.unit}` : ''}`;
  return String(value);
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
export const editText = (value: unknown): string =>
  value === null || value === undefined
    ? ''
    : typeof value === 'boolean'
      ? value
        ? 'yes'
        : 'no'
      : typeof value === 'object'
        ? 'title' in value
          ? String(value.title)
          : ''
        : String(value);

export const isCalculated = (field: Field): boolean => field.type.kind === 'formula' || field.type.kind === 'counterpart';

const kindWords: Record<Field['type']['kind'], string> = {
  text: 'text',
  number: 'number',
  yesNo: 'yes/no',
  date: 'date',
  option: 'option',
  link: 'link',
  counterpart: 'other side of a link',
  formula: 'formula',
};

/** The type of a field in words: `number, kg`, `→ Hives`, `ƒ date`. */
export function typeWords(model: Model, field: Field): string {
  const { type } = field;
  switch (type.kind) {
    case 'number':
      return ['number', type.digits === 0 ? 'whole' : type.digits === null ? '' : type.digits === 1 ? '1 decimal' : `${type.digits} decimals`, type.unit ?? '']
        .filter(Boolean)
        .join(', ');
    case 'option':
      return `option, ${type.options.length}`;
    case 'link':
      return `→ ${tableOf(model, type.to).label}`;
    case 'counterpart':
      return `← ${tableOf(model, type.from).label}`;
    case 'formula':
      return `ƒ ${shownType(model, field).kind === 'yesNo' ? 'yes/no' : kindWords[shownType(model, field).kind]}`;
    default:
      return kindWords[type.kind];
  }
}

export { kindWords };
