import { canBeUnique, checkSettings } from '../fieldTypes/registry';
import { bad, type Result } from '../base/problem';
import type { Field } from '../types/field';

/** What a field asks of itself; what it asks of other fields and tables is checked by the changes. */
export const checkFieldType = ({ label, type, unique }: Field): Result<true> =>
  unique && !canBeUnique(type)
    ? bad(`“${label}” cannot be unique.`, 'Only single values such as texts, numbers and dates can.')
    : checkSettings(type, label);
