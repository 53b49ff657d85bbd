import { invalidate } from '$app/navigation';
import { navigating } from '$app/state';

/**
 * Loads what depends on `name` again, behind a navigation that is under way: an invalidation ends it otherwise, and the
 * click of a person who went on while something was saved would be lost.
 */
export async function renewed(name: `loom:${string}`): Promise<void> {
  // A navigation that another took the place of stays the same promise for a moment: each is waited for once.
  for (let awaited: Promise<void> | null = null; navigating.complete && navigating.complete !== awaited;) {
    awaited = navigating.complete;
    await awaited.catch(() => undefined);
  }
  await invalidate(name);
}
