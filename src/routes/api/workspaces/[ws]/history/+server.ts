import { respond } from '$server/http/endpoint';
import { getHistory } from '$server/api/workspaces';

export const GET = respond(getHistory);
