import { respond } from '$server/http/endpoint';
import { getBin } from '$server/api/structure';

export const GET = respond(getBin);
