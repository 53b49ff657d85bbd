import { respond } from '$server/http/endpoint';
import { postAccepted } from '$server/api/findings';

export const POST = respond(postAccepted);
