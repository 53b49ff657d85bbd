import { respond } from '$server/http/endpoint';
import { getWeavePlaces, putWeavePlaces } from '$server/api/structure';

export const GET = respond(getWeavePlaces);
export const PUT = respond(putWeavePlaces);
