import YesNoCell from '../cells/YesNoCell.svelte';
import type { FieldUi } from '../kind';

const words = ['yes', 'no'];

export const yesNo: FieldUi<'yesNo'> = {
  group: 'Choices',
  width: 84,
  Cell: YesNoCell,
  choices: (_, __, typed) =>
    Promise.resolve(
      words.filter((word) => word.startsWith(typed.toLowerCase())).map((label) => ({ label, value: label === 'yes' })),
    ),
  columns: ({ key }) => [
    { name: 'yes', id: 'yes', condition: key, value: true },
    { name: 'no', id: 'no', condition: `not ${key}`, value: false },
  ],
  input: {
    control: 'words',
    words: (value) => ({
      choices: words.map((word) => ({ label: word, value: word })),
      chosen: value === null ? [] : [value === true ? 'yes' : 'no'],
      many: false,
      take: ([word]) => (word === undefined ? null : word === 'yes'),
    }),
  },
  draft: { ruled: () => ({ kind: 'yesNo' }) },
  pasted: { 'yes/no': () => ({}), boolean: () => ({}), check: () => ({}) },
};
