/** A range of characters in the formula, `to` exclusive. */
export interface Range {
  readonly from: number;
  readonly to: number;
}

export interface NamePart {
  readonly name: string;
  /** Written in double quotes: may be a label. */
  readonly quoted: boolean;
  readonly at: Range;
}

export interface OrderPart {
  readonly by: Syntax;
  readonly descending: boolean;
}

/** A formula as written, before its names are looked up. `error` stands where nothing could be read. */
export type Syntax =
  | { readonly node: 'number' | 'text' | 'date' | 'timestamp' | 'interval'; readonly value: string; readonly at: Range }
  | { readonly node: 'boolean'; readonly value: boolean; readonly at: Range }
  | { readonly node: 'blank' | 'star' | 'error'; readonly at: Range }
  | { readonly node: 'path'; readonly parts: readonly NamePart[]; readonly at: Range }
  /** Operators are calls too, by their sign or word: `+`, `||`, `and`, `is null`, `between`, `in`, … */
  | {
      readonly node: 'call';
      readonly name: string;
      readonly args: readonly Syntax[];
      readonly at: Range;
      readonly nameAt: Range;
      readonly distinct: boolean;
      readonly order: readonly OrderPart[];
      readonly filter: Syntax | null;
    }
  | {
      readonly node: 'case';
      readonly operand: Syntax | null;
      readonly otherwise: Syntax | null;
      readonly at: Range;
      readonly whens: readonly { readonly when: Syntax; readonly then: Syntax }[];
    }
  | { readonly node: 'cast'; readonly arg: Syntax; readonly to: string; readonly at: Range };
