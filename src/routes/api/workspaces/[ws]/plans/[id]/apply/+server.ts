import { respond } from '$server/http/endpoint';
import { postPlanApply } from '$server/api/workspaces';

export const POST = respond(postPlanApply);
