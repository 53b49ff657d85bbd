import { respond } from '$server/http/endpoint';
import { getRuns } from '$server/api/routines';

export const GET = respond(getRuns);
