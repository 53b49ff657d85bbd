import type { Expression, Scalar } from './expression';
import type { FieldId } from './identity';

/** The twelve dyes a table can have; their colours are tokens of the interface. */
export const dyes = [
  'woad',
  'madder',
  'weld',
  'heather',
  'moss',
  'rust',
  'indigo',
  'cochineal',
  'walnut',
  'sage',
  'slate',
  'plum',
] as const;
export type Dye = (typeof dyes)[number];

/** One of the words of an option field. Its id is made from the first label and stays when the label changes. */
export interface Option {
  readonly id: string;
  readonly label: string;
  /** What it is called in the language of whoever reads it; records come and go by the label. */
  readonly said?: string;
  readonly dye: Dye;
  /** No longer offered; records that have it keep it. */
  readonly retired?: true;
}

/** What becomes of a record's links when the record they point at is deleted. */
export type DeletionRule = 'prevent' | 'clear' | 'remove';

/** What both kinds of lists share. */
export interface OptionList {
  readonly options: readonly Option[];
  /** People may add other values while they enter records. */
  readonly open?: true;
  /** How it is entered; a menu unless said otherwise. */
  readonly entry?: 'buttons';
}

/** A kind that nothing is settled about. */
export type NoSettings = Readonly<Record<never, never>>;

/**
 * What is settled about a field of each kind, which declares it beside its descriptor, in core/fieldTypes.
 *
 * @public
 */
// eslint-disable-next-line @typescript-eslint/no-empty-object-type
export interface FieldTypes {}

export type FieldKind = keyof FieldTypes;
export type TypeOf<K extends FieldKind> = { [Kind in K]: { readonly kind: Kind } & FieldTypes[Kind] }[K];
export type FieldType = TypeOf<FieldKind>;

export const systemKinds = ['createdAt', 'createdBy', 'changedAt', 'changedBy'] as const;
export type SystemKind = (typeof systemKinds)[number];

/** What a new record has in a field when nobody says otherwise. */
export type Default =
  | { readonly kind: 'value'; readonly value: Scalar }
  | { readonly kind: 'today' }
  | { readonly kind: 'person' }
  | { readonly kind: 'formula'; readonly formula: Expression };

export interface Field {
  readonly id: FieldId;
  readonly key: string;
  readonly label: string;
  readonly help: string;
  /** Must be filled. `fromNow`: records that were blank when the rule was made may stay so until they are changed. */
  readonly required: boolean | 'fromNow';
  readonly unique: boolean;
  readonly type: FieldType;
  /** Shown in the empty field. */
  readonly placeholder?: string;
  readonly example?: string;
  /** Usually none: a silent default makes people's answers untrustworthy. */
  readonly default?: Default;
  /** Switched off: kept with its values, hidden everywhere but in Structure. */
  readonly off?: true;
  /** Never on a form for outsiders, never in data for people without the right. */
  readonly internal?: true;
  /** Left out of summaries and exports. */
  readonly unlisted?: true;
  /**
   * Calculated from what whoever has this model may not see: they see its values, not where these come from. Never
   * stored.
   */
  readonly veiled?: true;
  /** Seen and not entered by whoever has this model. Never stored. */
  readonly still?: true;
}

/** What people settle about a field beside its type and its default. */
export const fieldSettings = [
  'label',
  'key',
  'help',
  'placeholder',
  'example',
  'required',
  'unique',
  'off',
  'internal',
  'unlisted',
] as const;
