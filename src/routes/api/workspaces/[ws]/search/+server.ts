import { respond } from '$server/http/endpoint';
import { getSearch } from '$server/api/search';

export const GET = respond(getSearch);
