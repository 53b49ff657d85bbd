import { respond } from '$server/http/endpoint';
import { deleteTemplate, getTemplate, patchTemplate } from '$server/api/templates/templates';

export const GET = respond(getTemplate);
export const PATCH = respond(patchTemplate);
export const DELETE = respond(deleteTemplate);
