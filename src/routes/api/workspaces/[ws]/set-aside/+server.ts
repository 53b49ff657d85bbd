import { respond } from '$server/http/endpoint';
import { getSetAside } from '$server/api/setAside';

export const GET = respond(getSetAside);
