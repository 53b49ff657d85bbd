import { respond } from '$server/http/endpoint';
import { getListedValues } from '$server/api/structure';

export const GET = respond(getListedValues);
