import { respond } from '$server/http/endpoint';
import { deleteLanguage, patchLanguage } from '$server/api/languages';

export const PATCH = respond(patchLanguage);
export const DELETE = respond(deleteLanguage);
