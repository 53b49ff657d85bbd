import { gazetteer } from '$core/fieldTypes/gazetteer';
import type { FieldUi } from '../kind';

export const place: FieldUi<'place'> = {
  group: 'Things',
  choices: (_, __, typed) =>
    Promise.resolve(
      gazetteer
        .filter(({ name }) => name.toLowerCase().includes(typed.toLowerCase()))
        .slice(0, 12)
        .map(({ name, latitude }) => ({ label: name, value: name, about: latitude })),
    ),
  input: { plain: true, offered: () => gazetteer.map(({ name }) => name) },
  pasted: { place: () => ({}) },
};
