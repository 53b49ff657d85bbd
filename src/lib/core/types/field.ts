import type { Expression, Scalar, ValueType } from '../formula/expression';
import type { FieldId, TableId } from '../model/identity';

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
  readonly dye: Dye;
  /** No longer offered; records that have it keep it. */
  readonly retired?: true;
}

/** What becomes of a record's links when the record they point at is deleted. */
export type DeletionRule = 'prevent' | 'clear' | 'remove';

/** What both kinds of lists share. */
interface OptionList {
  readonly options: readonly Option[];
  /** People may add other values while they enter records. */
  readonly open?: true;
  /** How it is entered; a menu unless said otherwise. */
  readonly entry?: 'buttons';
}

export type FieldType =
  | { readonly kind: 'text'; readonly maxLength?: number }
  | { readonly kind: 'longText'; readonly markdown?: true }
  /** `digits`: decimals kept and shown; null keeps what is entered. */
  | { readonly kind: 'number'; readonly digits: number | null; readonly unit?: string }
  /** `currency`: an ISO 4217 code; null lets each record choose. */
  | { readonly kind: 'money'; readonly currency: string | null; readonly digits: number }
  /** Held as the fraction that formulas count with: 12.5 % is 0.125. `digits` counts the decimals before the sign. */
  | { readonly kind: 'percent'; readonly digits: number | null }
  | { readonly kind: 'yesNo' }
  | { readonly kind: 'date' }
  /** An instant, to the second; shown and read in the workspace's zone. */
  | { readonly kind: 'dateTime' }
  /** A length of time, to the second. */
  | { readonly kind: 'duration' }
  | ({ readonly kind: 'option' } & OptionList)
  | ({ readonly kind: 'options' } & OptionList)
  /** A reference to one record of `to`; `counterpart` is the field of that table which shows the other side. */
  | {
      readonly kind: 'link';
      readonly to: TableId;
      readonly onDelete: DeletionRule;
      readonly counterpart: FieldId;
      /** Fields of the target that are shown beside its title when one chooses. */
      readonly shows?: readonly FieldId[];
      /**
       * The candidates offered: a condition over this record; `place` 0 is the record edited, the candidate stands in
       * the link itself.
       */
      readonly candidates?: Expression;
    }
  /**
   * The other side of a link: the records of table `from` whose field `link` points here. Stores nothing. With `over`
   * it is one side of a link to many: `from` is the table of pairs, and `over` its link to the records on the far side.
   */
  | { readonly kind: 'counterpart'; readonly from: TableId; readonly link: FieldId; readonly over?: FieldId }
  /** A person of the Directory. */
  | { readonly kind: 'member' }
  | { readonly kind: 'url' }
  | { readonly kind: 'email' }
  | { readonly kind: 'phone' }
  /** An address with its latitude and longitude (WGS 84, degrees). */
  | { readonly kind: 'place' }
  | { readonly kind: 'files' }
  | { readonly kind: 'pictures' }
  /** Whole steps from 1 to `most`. */
  | { readonly kind: 'rating'; readonly most: number }
  /** A share done, from 0 to 100 %; held as a fraction, as percent is. */
  | { readonly kind: 'progress' }
  /** Given by the database when a record is made. `pattern`: zeros in braces are the number, `{year}` the year. */
  | { readonly kind: 'runningNumber'; readonly pattern: string }
  | { readonly kind: 'formula'; readonly formula: Expression; readonly result: ValueType }
  /** Kept by the system itself. */
  | { readonly kind: SystemKind };

export const systemKinds = ['createdAt', 'createdBy', 'changedAt', 'changedBy'] as const;
export type SystemKind = (typeof systemKinds)[number];

export type FieldKind = FieldType['kind'];
export type TypeOf<K extends FieldKind> = Extract<FieldType, { kind: K }>;

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
}
