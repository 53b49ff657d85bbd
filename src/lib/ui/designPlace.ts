import { untrack } from 'svelte';

/**
 * What is designed on a page: another design for another address alone. A model that is read anew does not begin it
 * anew, nor does the address that a new one has once it is saved.
 */
export class DesignPlace<D extends { readonly id: string | null }> {
  private begun: { readonly at: string; readonly design: D } | null = null;

  /** The design at an address; `at` names what a new one is begun with, `id` is null for a new one. */
  designOf(id: string | null, at: string, begin: () => D): D {
    return untrack(() => {
      const { begun } = this;
      const isSame = begun !== null && (begun.at === at || (id !== null && begun.design.id === id));
      const design = isSame ? begun.design : begin();
      this.begun = { at, design };
      return design;
    });
  }
}
