import { respond } from '$server/http/endpoint';
import { planOfTemplate } from '$server/api/templates/templates';

export const POST = respond(planOfTemplate);
