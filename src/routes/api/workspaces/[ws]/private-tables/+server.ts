import { respond } from '$server/http/endpoint';
import { getPrivateTables } from '$server/api/people/privateTables';

export const GET = respond(getPrivateTables);
