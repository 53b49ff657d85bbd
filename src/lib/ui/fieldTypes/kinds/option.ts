import { boardOptions } from '$core/views/view';
import { wordsOf } from '$core/fieldTypes/json';
import { shownOption } from '$core/fieldTypes/option';
import { quoteText } from '$core/base/sql';
import OptionsCell from '../cells/OptionsCell.svelte';
import ButtonsEditor from '../editors/ButtonsEditor.svelte';
import type { FieldUi } from '../kind';
import { aboutList, asChoice, listed, listFrom, listTo, pastedList } from './optionList';

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
    const there = listed(type, typed).map(asChoice);
    const isNew = type.open && text !== '' && !there.some(({ label }) => label.toLowerCase() === text.toLowerCase());
    // A word that is not in an open list yet is what was typed, not the one that is nearest.
    return Promise.resolve(isNew ? [{ label: text, value: text, about: 'new in the list' }, ...there] : there);
  },
  edit: (value, type) => {
    const stands = type.options.find(({ label }) => label === value);
    return stands ? shownOption(stands) : wordsOf(value);
  },
  unlisted: (_, type, typed) => (type.open ? { ok: true, value: typed } : null),
  columns: (field) =>
    boardOptions(field).map((one, place) => ({
      name: shownOption(one),
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
            choices: options.map(asChoice),
            chosen: value === null ? [] : [String(value)],
            many: false,
            take: ([word]) => word ?? null,
          }
        : null,
  },
  draft: { from: listFrom, to: listTo, settings: () => import('../settings/OptionSettings.svelte') },
  pasted: { option: pastedList },
};
