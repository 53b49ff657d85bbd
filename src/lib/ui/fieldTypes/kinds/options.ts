import OptionsCell from '../cells/OptionsCell.svelte';
import ButtonsEditor from '../editors/ButtonsEditor.svelte';
import ManyEditor from '../editors/ManyEditor.svelte';
import type { FieldUi } from '../kind';
import { aboutList, asChoice, listFrom, listTo, pastedList } from './optionList';

export const options: FieldUi<'options'> = {
  group: 'Choices',
  width: 190,
  about: aboutList,
  chosen: true,
  Cell: OptionsCell,
  Editor: ({ entry, open }) => (entry === 'buttons' && !open ? ButtonsEditor : ManyEditor),
  input: {
    control: 'words',
    words: (value, type) => ({
      choices: type.options.map(asChoice),
      chosen: (value ?? []) as string[],
      many: true,
      take: (chosen) => (chosen.length === 0 ? null : chosen),
    }),
  },
  draft: { from: listFrom, to: listTo, settings: () => import('../settings/OptionSettings.svelte') },
  pasted: { options: pastedList, 'several options': pastedList },
};
