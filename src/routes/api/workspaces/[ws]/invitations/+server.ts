import { respond } from '$server/http/endpoint';
import { postInvitation } from '$server/api/people/directory';

export const POST = respond(postInvitation);
