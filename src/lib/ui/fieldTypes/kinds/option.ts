import { boardOptions } from '$core/views/view';
import { quoteText } from '$core/base/sql';
import OptionsCell from '../cells/OptionsCell.svelte';
import ButtonsEditor from '../editors/ButtonsEditor.svelte';
import type { FieldUi } from '../kind';
import { aboutList, listed, listFrom, listTo, pastedList } from './optionList';

/** Beyond that a list to open takes less room than the words. */
const mostWords = 6;

export const option: FieldUi<'option'> = {
  group: 'Choices',
  width: 130,
  about: aboutList,
  chosen: true,
  Cell: OptionsCell,
  Editor: ({ entry, open }) => (entry === 'buttons' && !open ? ButtonsEditor : null),
  choices: (_, type, typed) => {
    const text = typed.trim();
    const there = listed(type, typed).map(({ label }) => ({ label, value: label }));
    const isNew = type.open && text !== '' && !there.some(({ label }) => label.toLowerCase() === text.toLowerCase());
    // A word that is not in an open list yet is what was typed, not the one that is nearest.
    return Promise.resolve(isNew ? [{ label: text, value: text, about: 'new in the list' }, ...there] : there);
  },
  unlisted: (_, type, typed) => (type.open ? { ok: true, value: typed } : null),
  columns: (field) =>
    boardOptions(field).map((one, place) => ({
      name: one.label,
      id: one.id,
      condition: `${field.key} = ${quoteText(one.label)}`,
      value: one.label,
      option: place,
    })),
  input: {
    control: 'words',
    words: (value, { entry, options }) =>
      entry === 'buttons' || options.length <= mostWords
        ? {
            choices: options.map(({ label }) => ({ label, value: label })),
            chosen: value === null ? [] : [String(value)],
            many: false,
            take: ([word]) => word ?? null,
          }
        : null,
  },
  draft: { from: listFrom, to: listTo, settings: () => import('../settings/OptionSettings.svelte') },
  pasted: { option: pastedList },
};
