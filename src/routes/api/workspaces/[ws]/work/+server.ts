import { respond } from '$server/http/endpoint';
import { deleteWork, getWork } from '$server/api/structure';

export const GET = respond(getWork);
export const DELETE = respond(deleteWork);
