import { respond } from '$server/http/endpoint';
import { postSplit } from '$server/api/intakes';

export const POST = respond(postSplit);
