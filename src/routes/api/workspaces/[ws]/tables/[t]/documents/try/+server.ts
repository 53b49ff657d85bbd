import { respond } from '$server/http/endpoint';
import { tryOne } from '$server/api/documents';

export const POST = respond(tryOne);
