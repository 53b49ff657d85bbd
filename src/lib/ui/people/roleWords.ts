import type { Role } from '$server/database/catalogue';

/** Each role with what it may do, for those who choose one. */
export const roleChoices: readonly { readonly value: Role; readonly name: string; readonly may: string }[] = [
  { value: 'reader', name: 'reader', may: 'sees the tables, without their internal fields' },
  { value: 'editor', name: 'editor', may: 'sees everything, and changes records and views' },
  { value: 'administrator', name: 'administrator', may: 'changes the structure, brings files in, says who is in' },
];
