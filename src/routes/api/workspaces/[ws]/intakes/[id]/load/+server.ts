import { respond } from '$server/http/endpoint';
import { postLoad } from '$server/api/intakes';

export const POST = respond(postLoad);
