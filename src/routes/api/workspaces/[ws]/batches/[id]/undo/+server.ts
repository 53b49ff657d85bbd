import { respond } from '$server/http/endpoint';
import { postUndo } from '$server/api/workspaces';

export const POST = respond(postUndo);
