import { respond } from '$server/http/endpoint';
import { getHome } from '$server/api/workspaces';

export const GET = respond(getHome);
