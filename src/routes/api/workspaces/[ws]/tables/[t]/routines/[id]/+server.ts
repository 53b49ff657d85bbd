import { respond } from '$server/http/endpoint';
import { deleteRoutine, patchRoutine } from '$server/api/routines';

export const PATCH = respond(patchRoutine);
export const DELETE = respond(deleteRoutine);
