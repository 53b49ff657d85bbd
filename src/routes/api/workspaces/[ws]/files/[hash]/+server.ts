import { respond } from '$server/http/endpoint';
import { getFile } from '$server/api/files';

export const GET = respond(getFile);
