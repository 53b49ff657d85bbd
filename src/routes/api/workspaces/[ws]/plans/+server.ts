import { respond } from '$server/http/endpoint';
import { postPlan } from '$server/api/workspaces';

export const POST = respond(postPlan);
