import { peopleChoices } from '../editors/linkChoices';
import type { FieldUi } from '../kind';
import { notFound } from './link';

export const member: FieldUi<'member'> = {
  group: 'Choices',
  choices: ({ workspace }, _, typed) => peopleChoices(workspace, typed),
  unlisted: (_, __, typed) => notFound('the Directory', typed),
  input: { control: 'link' },
  draft: { begins: { value: 'person', name: 'whoever enters it' } },
  pasted: { person: () => ({}), member: () => ({}) },
};
