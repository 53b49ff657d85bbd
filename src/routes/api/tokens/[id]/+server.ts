import { respond } from '$server/http/endpoint';
import { deleteToken } from '$server/api/people/people';

export const DELETE = respond(deleteToken);
