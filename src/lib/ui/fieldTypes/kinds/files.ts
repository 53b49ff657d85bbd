import FilesCell from '../cells/FilesCell.svelte';
import FilesEditor from '../editors/FilesEditor.svelte';
import type { FieldUi } from '../kind';

export const files: FieldUi<'files'> = {
  group: 'Things',
  Cell: FilesCell,
  Editor: () => FilesEditor,
  input: { control: 'files' },
  draft: { noDefault: true },
  pasted: { files: () => ({}), file: () => ({}) },
};

export const pictures: FieldUi<'pictures'> = {
  group: 'Things',
  width: 130,
  Cell: FilesCell,
  Editor: () => FilesEditor,
  input: { control: 'files' },
  draft: { noDefault: true },
  pasted: { pictures: () => ({}), picture: () => ({}) },
};
