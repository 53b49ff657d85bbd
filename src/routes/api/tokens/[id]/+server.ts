import { respond } from '$server/http/endpoint';
import { deleteToken } from '$server/api/people';

export const DELETE = respond(deleteToken);
