import { respond } from '$server/http/endpoint';
import { removeAnalyst } from '$server/api/people/analysts';

export const DELETE = respond(removeAnalyst);
