import { respond } from '$server/http/endpoint';
import { getTableSearch } from '$server/api/search';

export const GET = respond(getTableSearch);
