import { viewKindDescriptors, viewKinds } from '$core/views/kinds';

/** A kind of view that the product does not have. */
const list = { label: 'List', settings: [], groupedBy: null, sorts: true };

Object.assign(viewKindDescriptors, { list });
(viewKinds as unknown as string[]).push('list');
