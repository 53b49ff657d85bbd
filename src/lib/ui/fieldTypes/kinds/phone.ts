import type { FieldUi } from '../kind';

export const phone: FieldUi<'phone'> = {
  group: 'Words',
  input: { plain: true, line: 'tel' },
  draft: { ruled: () => ({ kind: 'phone' }) },
  pasted: { phone: () => ({}) },
};
