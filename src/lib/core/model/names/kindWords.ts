import { fieldKinds } from '../../fieldTypes/registry';
import type { Dye, FieldKind } from '../../types/field';

/** What a kind of field is called. */
export const kindWord = (kind: FieldKind): string => fieldKinds[kind].word;

/** What the dyes are called: a colour that everybody knows. */
export const dyeWords: Record<Dye, string> = {
  woad: 'teal',
  madder: 'red',
  weld: 'yellow',
  heather: 'violet',
  moss: 'green',
  rust: 'orange',
  indigo: 'blue',
  cochineal: 'pink',
  walnut: 'brown',
  sage: 'grey green',
  slate: 'grey',
  plum: 'purple',
};
