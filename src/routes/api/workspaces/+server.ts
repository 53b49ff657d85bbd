import { respond } from '$server/http/endpoint';
import { listWorkspaces, postWorkspace } from '$server/api/workspaces';

export const GET = respond(listWorkspaces);
export const POST = respond(postWorkspace);
