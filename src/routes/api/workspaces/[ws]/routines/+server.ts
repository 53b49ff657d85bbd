import { respond } from '$server/http/endpoint';
import { getRoutines } from '$server/api/routines';

export const GET = respond(getRoutines);
