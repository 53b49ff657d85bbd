import { respond } from '$server/http/endpoint';
import { putFavourite } from '$server/api/workspaces';

export const PUT = respond(putFavourite);
