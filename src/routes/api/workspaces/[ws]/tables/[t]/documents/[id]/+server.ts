import { respond } from '$server/http/endpoint';
import { deleteDocument, getDocument, patchDocument } from '$server/api/documents';

export const GET = respond(getDocument);
export const PATCH = respond(patchDocument);
export const DELETE = respond(deleteDocument);
