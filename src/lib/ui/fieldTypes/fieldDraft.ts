import type { DeletionRule, Dye, FieldKind, SystemKind } from '$core/types/field';

/** Types that a person chooses from; a link to many is a link, too. */
export type DraftType = Exclude<FieldKind, 'counterpart' | SystemKind>;

/** An option as the form holds it; `into` names the option that it is merged into. */
export interface OptionDraft {
  readonly id?: string;
  label: string;
  dye: Dye;
  retired: boolean;
  into: string;
  /**
   * Of values that become a list: how often it stands, the other that may be meant by it, and the texts that were
   * joined with it.
   */
  count?: number;
  near?: string | null;
  also?: readonly string[];
}

/** A field as the form holds it: every type's members at once, of which those of the chosen type are sent. */
export interface FieldDraft {
  label: string;
  key: string;
  help: string;
  placeholder: string;
  example: string;
  required: boolean;
  unique: boolean;
  off: boolean;
  internal: boolean;
  unlisted: boolean;
  preset: 'none' | 'value' | 'today' | 'person' | 'formula';
  presetText: string;
  type: DraftType;
  maxLength: string;
  markdown: boolean;
  digits: string;
  unit: string;
  currency: string;
  most: string;
  pattern: string;
  options: OptionDraft[];
  /** What a field that becomes a list was read for, and what of its values the list does not take. */
  listed: { readonly as: DraftType; readonly left: number; readonly refused?: string } | null;
  open: boolean;
  buttons: boolean;
  to: string;
  many: boolean;
  counterpart: string;
  counterpartShown: boolean;
  onDelete: DeletionRule;
  shows: string[];
  candidates: string;
  brings: string[];
  /** What becomes of texts that name no record, when a text becomes a link. */
  missing: 'setAside' | 'create';
  formula: string;
  /** Least and greatest, pattern, unique together: rules of the table that are about this field. */
  rules: FieldRules;
  /** How texts are read when they become another type. */
  decimal: '.' | ',';
  dateOrder: 'ymd' | 'dmy' | 'mdy';
}

/** The rules that a field has by itself, as its form holds them: empty where there is none. */
export interface FieldRules {
  least: string;
  greatest: string;
  pattern: string;
  /** Identities of the fields that are unique together with it. */
  together: string[];
}

export type ChangeDraft = Readonly<Record<string, unknown>> & { readonly do: string };
