import { createContext } from 'svelte';
import type { Field } from '$core/types/field';
import type { SortStep } from '$core/types/view';

/** What records are grouped by: a field, in words with the links that lead to it, and the step. */
export interface GroupPart {
  readonly field: Field;
  readonly label: string;
  readonly by: SortStep | number | null;
}

/** What the records of a view are grouped by, for the heads of its groups. */
export interface GroupParts {
  readonly parts: readonly GroupPart[];
}

export const [useGroups, provideGroups] = createContext<GroupParts>();
