import { respond } from '$server/http/endpoint';
import { getOutgoing } from '$server/api/routines';

export const GET = respond(getOutgoing);
