import { respond } from '$server/http/endpoint';
import { postPrivateTables } from '$server/api/people/privateTables';

export const POST = respond(postPrivateTables);
