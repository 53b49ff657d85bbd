import { respond } from '$server/http/endpoint';
import { postRoutine } from '$server/api/routines';

export const POST = respond(postRoutine);
