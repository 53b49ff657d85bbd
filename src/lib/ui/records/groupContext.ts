import { createContext } from 'svelte';
import type { Field } from '$core/model/model';
import type { SortStep } from '$core/model/view';

/** What the records of a view are grouped by, for the heads of its groups. */
export interface GroupParts {
  readonly parts: readonly { readonly field: Field; readonly by?: SortStep }[];
}

export const [useGroups, provideGroups] = createContext<GroupParts>();
