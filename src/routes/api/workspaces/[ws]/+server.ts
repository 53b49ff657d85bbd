import { respond } from '$server/http/endpoint';
import { patchWorkspace } from '$server/api/workspaces';

export const PATCH = respond(patchWorkspace);
