import { respond } from '$server/http/endpoint';
import { getOutbox } from '$server/api/people/directory';

export const GET = respond(getOutbox);
