import { respond } from '$server/http/endpoint';
import { deleteForm, patchForm } from '$server/api/forms/forms';

export const PATCH = respond(patchForm);
export const DELETE = respond(deleteForm);
