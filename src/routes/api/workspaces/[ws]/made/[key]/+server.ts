import { respond } from '$server/http/endpoint';
import { getKept } from '$server/api/documents';

export const GET = respond(getKept);
