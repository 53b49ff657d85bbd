import { respond } from '$server/http/endpoint';
import { deleteView, patchView } from '$server/api/views/views';

export const PATCH = respond(patchView);
export const DELETE = respond(deleteView);
