import { respond } from '$server/http/endpoint';
import { getDirectory } from '$server/api/structure';

export const GET = respond(getDirectory);
