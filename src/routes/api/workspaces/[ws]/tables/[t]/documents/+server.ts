import { respond } from '$server/http/endpoint';
import { listDocuments, postDocument } from '$server/api/documents';

export const GET = respond(listDocuments);
export const POST = respond(postDocument);
