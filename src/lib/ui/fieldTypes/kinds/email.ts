import MailCell from '../cells/MailCell.svelte';
import type { FieldUi } from '../kind';

export const email: FieldUi<'email'> = {
  group: 'Words',
  Cell: MailCell,
  shape: () => 'name@…',
  input: { plain: true, line: 'email' },
  draft: { ruled: () => ({ kind: 'email' }) },
  pasted: { email: () => ({}) },
};
