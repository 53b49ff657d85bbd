import { respond } from '$server/http/endpoint';
import { getModel } from '$server/api/workspaces';

export const GET = respond(getModel);
