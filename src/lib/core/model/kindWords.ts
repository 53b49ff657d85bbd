import type { Dye, FieldKind } from '../types/field';

/** What the kinds of fields are called. */
export const kindWords: Record<FieldKind, string> = {
  text: 'text',
  longText: 'long text',
  number: 'number',
  money: 'money',
  percent: 'percent',
  yesNo: 'yes/no',
  date: 'date',
  dateTime: 'date and time',
  duration: 'duration',
  option: 'option',
  options: 'several options',
  link: 'link',
  counterpart: 'reverse link',
  member: 'person',
  url: 'web address',
  email: 'email',
  phone: 'phone',
  place: 'place',
  files: 'files',
  pictures: 'pictures',
  rating: 'rating',
  progress: 'progress',
  runningNumber: 'running number',
  formula: 'formula',
  createdAt: 'created',
  createdBy: 'created by',
  changedAt: 'last changed',
  changedBy: 'last changed by',
};

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
