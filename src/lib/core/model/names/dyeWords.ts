import type { Dye } from '../../types/field';

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
