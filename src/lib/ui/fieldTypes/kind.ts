import type { Component, Snippet } from 'svelte';
import type { EnteredType } from '$core/fieldTypes/registry';
import type { Field, FieldKind, FieldType, TypeOf } from '$core/types/field';
import type { Model, Table } from '$core/types/model';
import type { Choice } from '../controls/Combo.svelte';
import type { LinkPlace } from './editors/linkChoices';
import type { Settled } from './editors/later';
import type { FieldDraft } from './fieldDraft';

/** Where a kind stands among those one chooses from, in this order. */
export const typeGroups = ['Words', 'Numbers', 'Time', 'Choices', 'Things', 'From other records'] as const;
type TypeGroup = (typeof typeGroups)[number];

/** What the part that shows a value is given; the value is never blank. */
export interface CellProps {
  readonly model: Model;
  readonly field: Field;
  /** As it is shown: that of a formula's values. */
  readonly type: FieldType;
  readonly value: unknown;
  /** The value as a text. */
  readonly text: string;
  /** There is room for all of it. */
  readonly large: boolean;
  /** Where a record that it names is shown; then names lead there. */
  readonly addressOf?: ((id: number) => string) | undefined;
  /** Shows a record that it names beside, instead of going there. */
  readonly onopen?: ((id: number) => void) | undefined;
}

/** What an editor of a cell is given. It gives JSON values as the API takes them. */
export interface EditorProps {
  readonly place: LinkPlace;
  readonly value: unknown;
  /** What was typed to open the editor; null keeps the value. */
  readonly start: string | null;
  /** The value as the text that is edited. */
  readonly begun: string;
  readonly zone: string;
  readonly oncommit: (value: unknown, key?: string, back?: boolean) => void;
  readonly oncancel: () => void;
}

/** A formula that settings ask for. */
export interface AskedFormula {
  readonly model: Model;
  readonly formula: string;
  /** It is a condition, and called so. */
  readonly condition?: string;
  /** It is looked at here alone, as the server does not know the model yet. */
  readonly local?: boolean;
  readonly example?: string;
  readonly onchange: (formula: string) => void;
}

/** What the settings of a kind are shown with; they write into the draft. */
export interface SettingsProps {
  draft: FieldDraft;
  readonly place: {
    readonly workspace: string;
    readonly model: Model;
    readonly table: Table;
    /** The field as it stands; null for a new one. */
    readonly start: FieldDraft | null;
    /** Tables of other workspaces that links can point at. */
    readonly others: readonly { readonly path: string; readonly label: string }[];
    /** What the field is called in its own formulas. */
    readonly own: { readonly id: string; readonly key: string; readonly label: string };
    /** Turns the list of options into a table. */
    readonly ontable?: (() => void) | undefined;
  };
  /** Where a formula is written. */
  readonly formulaEditor: Snippet<[AskedFormula]>;
}

/** A few words that all stand there to choose from. */
interface Words {
  readonly choices: readonly { readonly label: string; readonly value: string }[];
  readonly chosen: readonly string[];
  readonly many: boolean;
  /** The value that what is chosen says. */
  readonly take: (chosen: readonly string[]) => unknown;
}

/** How a form takes a value: by a line of text unless said. */
export interface FormInputUi<K extends FieldKind> {
  readonly control?: 'link' | 'files' | 'area' | 'words';
  /** Words to choose from; null where they are too many to stand there, and a list opens instead. */
  words?(value: unknown, type: TypeOf<K>): Words | null;
  /** What a browser offers for the line. */
  readonly line?: 'date' | 'datetime-local' | 'email' | 'url' | 'tel' | 'decimal';
  /** What is sent as it is written can be taken with each letter; the rest is read once it is whole. */
  readonly plain?: true;
  /** Words offered while one writes. */
  readonly offered?: () => readonly string[];
  /** What stands behind the line. */
  unit?(type: TypeOf<K>): string;
  /** Whether a text is what was written here, and not yet the value. */
  isWritten?(text: string): boolean;
  /** What the line shows of a text. */
  shown?(text: string): string;
  /** What was written, as programs send it. */
  written?(text: string): unknown;
}

/** How a field of the kind is set up in a form. */
interface DraftUi<K extends FieldKind> {
  /** What the form holds of a field that stands. */
  from?(type: TypeOf<K>, model: Model, field: Field): Partial<FieldDraft>;
  /** The settings as the API takes them. */
  to?(draft: FieldDraft): Record<string, unknown>;
  /** The type that rules of a field go by; none has no rules of values. */
  ruled?(draft: FieldDraft): FieldType;
  /** How a person writes a value, where that is in their own way. */
  readonly reads?: EnteredType;
  /** Texts that become it can be written in several ways. */
  readonly readings?: 'decimal' | 'dateOrder';
  /** A new field cannot begin with a value. */
  readonly noDefault?: true;
  /** What a field can begin with besides a value and a formula. */
  readonly begins?: { readonly value: 'today' | 'person'; readonly name: string };
  /** What sets it up, which only those load who change a structure. */
  readonly settings?: () => Promise<{ readonly default: Component<SettingsProps, object, 'draft'> }>;
}

/** A value as a column of a board. */
interface ValueColumn {
  readonly name: string;
  readonly id: string;
  /** In the formula language. */
  readonly condition: string;
  readonly value: unknown;
  /** Its place among the options. */
  readonly option?: number;
}

/** What the interface knows of a kind of field; what is left out is as said. */
export interface FieldUi<K extends FieldKind> {
  /** Not chosen by a person unless said. */
  readonly group?: TypeGroup;
  /** Of its column, in pixels; what a title or a text needs unless said. */
  readonly width?: number;
  /** Aligned by its decimals; not unless said. */
  readonly alignsRight?: true;
  /** What is said of it behind its word. */
  about?(type: TypeOf<K>): readonly (string | undefined)[];
  /** The text an editor begins with: what is read as the same value. */
  edit?(value: unknown, type: TypeOf<K>, zone: string): string;
  /** Whether it is written in a person's own way of writing numbers. */
  isNumber?(type: TypeOf<K>): boolean;
  /** A mean of its values, which says one decimal more than they do. */
  mean?(value: number, type: TypeOf<K>): string;
  /** A value chosen but not saved yet is shown as its values are, instead of as what was typed. */
  readonly chosen?: true;
  /** Shows a value; as its text unless said. */
  readonly Cell?: Component<CellProps>;
  /** The editor of a cell; a line of text unless said, or what is found by what is typed, where it has `choices`. */
  Editor?(type: TypeOf<K>): Component<EditorProps> | null;
  choices?(place: LinkPlace, type: TypeOf<K>, typed: string): Promise<readonly Choice[]>;
  /** What a text is where nothing of the list was chosen; read as files are unless said. */
  unlisted?(place: LinkPlace, type: TypeOf<K>, typed: string): Settled | null;
  /** What a line for it asks for. */
  shape?(type: TypeOf<K>): string;
  /** Its values as the columns of a board, where they are known by the field alone; else those that are there. */
  columns?(field: Field): readonly ValueColumn[];
  readonly input?: FormInputUi<K>;
  readonly draft?: DraftUi<K>;
  /** Its words in a pasted list of fields, with what the words in parentheses behind them set. */
  readonly pasted?: Readonly<Record<string, (inside: string) => Partial<FieldDraft>>>;
}
