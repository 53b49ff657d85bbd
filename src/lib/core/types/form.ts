import type { Expression, Scalar } from './expression';
import type { FieldId, FormId } from './identity';
import type { FieldKind } from './field';

/** A value with the kind of field it was given for: of a field that became another kind it means nothing. */
export interface Preset {
  readonly as: FieldKind;
  readonly value: Scalar;
}

/** A field that people fill in on a form. What is left out is as the field itself has it. */
export interface FieldItem {
  readonly kind: 'field';
  readonly field: FieldId;
  readonly label?: string;
  readonly help?: string;
  readonly placeholder?: string;
  /** Must be filled here, though records may be without. */
  readonly required?: true;
  /** As wide as the section, where that has two columns. */
  readonly wide?: true;
  /** Not shown: every entry has the preset. */
  readonly hidden?: true;
  /** What stands in the field at first. */
  readonly preset?: Preset;
  /** A condition over what is filled in further up. */
  readonly shownIf?: Expression;
  /** For a link: a condition over the records of its target; only those that meet it can be chosen. */
  readonly offers?: Expression;
}

/** The records that point at the form's record, edited in place. */
export interface ListItem {
  readonly kind: 'list';
  /** The counterpart. */
  readonly field: FieldId;
  readonly label?: string;
  /** A condition over the records of the list. */
  readonly filter?: Expression;
}

export type FormItem = FieldItem | ListItem;

export interface FormSection {
  readonly label: string;
  readonly about: string;
  readonly columns: 1 | 2;
  readonly shownIf?: Expression;
  readonly items: readonly FormItem[];
}

/** Who fills a form in: members of the workspace, or anybody who has an address of it. */
export const formAudiences = ['inside', 'outside'] as const;
export type FormAudience = (typeof formAudiences)[number];

/** What people fill in to make a record of a table, or to change one, without seeing the table. */
export interface Form {
  readonly id: FormId;
  readonly label: string;
  readonly audience: FormAudience;
  /** Read before one begins. */
  readonly intro: string;
  readonly sections: readonly FormSection[];
  /** Read when it was sent. */
  readonly thanks: string;
  /** Where one can go from there. */
  readonly next: { readonly label: string; readonly address: string } | null;
  /** Read instead of the form once an address of it has ended. */
  readonly closed: string;
  /** Entries that it takes in all, over all its addresses; null takes any number. */
  readonly most: number | null;
}
