import { viewKindDescriptors, viewKinds } from '$core/views/kinds';

/** A kind of view that the product does not have. */
const list = { label: 'List', settings: [], groupedBy: null, sorts: true };

/** The registries it stands in; the page that draws it is its third file. */
export const registries = ['core/views/kinds.ts', 'routes/w/[ws]/t/[table]/+page.svelte'];

Object.assign(viewKindDescriptors, { list });
(viewKinds as unknown as string[]).push('list');
