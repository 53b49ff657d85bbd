import { respond } from '$server/http/endpoint';
import { deleteAccepted } from '$server/api/findings';

export const DELETE = respond(deleteAccepted);
