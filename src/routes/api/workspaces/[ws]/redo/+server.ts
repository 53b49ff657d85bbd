import { respond } from '$server/http/endpoint';
import { postRedoOwn } from '$server/api/workspaces';

export const POST = respond(postRedoOwn);
