import { onDestroy, untrack } from 'svelte';
import type { SteppedDraft, Unsaved } from './steppedDraft.svelte';

interface Design {
  readonly draft: Pick<SteppedDraft<unknown>, 'id' | 'kind' | 'unsaved' | 'resume'>;
}

/** What was left without being saved, by kind and identity, as long as the tab is open. */
const unsaved = new Map<string, Unsaved>();

/** Whether something would be lost with the tab. */
export const isAnythingUnsaved = (): boolean => unsaved.size > 0;

/**
 * What is designed on a page: another design for another address alone. A model that is read anew does not begin it
 * anew, nor does the address that a new one has once it is saved. Who leaves the page without saving finds what they
 * changed when they come back. Made as the page is.
 */
export class DesignPlace<D extends Design> {
  private begun: { readonly at: string; readonly design: D } | null = null;

  constructor() {
    onDestroy(() => this.keep());
  }

  private keep(): void {
    if (!this.begun) return;
    const { at, design } = this.begun;
    const { id, kind, unsaved: changed } = design.draft;
    if (changed) unsaved.set(`${kind} ${id ?? at}`, changed);
  }

  /** The design at an address; `at` names what a new one is begun with, `id` is null for a new one. */
  designOf(id: string | null, at: string, begin: () => D): D {
    return untrack(() => {
      const { begun } = this;
      const isSame = begun !== null && (begun.at === at || (id !== null && begun.design.draft.id === id));
      if (isSame) {
        this.begun = { at, design: begun.design };
        return begun.design;
      }
      this.keep();
      const design = begin();
      const name = `${design.draft.kind} ${id ?? at}`;
      const before = unsaved.get(name);
      if (before) design.draft.resume(before);
      unsaved.delete(name);
      this.begun = { at, design };
      return design;
    });
  }
}
