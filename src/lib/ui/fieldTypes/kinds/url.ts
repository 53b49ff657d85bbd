import AddressCell from '../cells/AddressCell.svelte';
import type { FieldUi } from '../kind';

export const url: FieldUi<'url'> = {
  group: 'Words',
  Cell: AddressCell,
  shape: () => 'https://',
  input: { plain: true, line: 'url' },
  draft: { ruled: () => ({ kind: 'url' }) },
  pasted: { 'web address': () => ({}), url: () => ({}) },
};
