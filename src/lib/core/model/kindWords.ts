import { fieldKinds } from '../fieldTypes/registry';
import type { Dye, FieldKind } from '../types/field';

/** What the kinds of fields are called. */
export const kindWords = Object.fromEntries(
  Object.entries(fieldKinds).map(([kind, { word }]) => [kind, word]),
) as Readonly<Record<FieldKind, string>>;

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
