import { respond } from '$server/http/endpoint';
import { postUndoOwn } from '$server/api/workspaces';

export const POST = respond(postUndoOwn);
