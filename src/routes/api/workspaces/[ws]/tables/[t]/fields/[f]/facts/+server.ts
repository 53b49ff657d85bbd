import { respond } from '$server/http/endpoint';
import { getFacts } from '$server/api/structure';

export const GET = respond(getFacts);
