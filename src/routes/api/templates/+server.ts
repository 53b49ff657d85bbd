import { respond } from '$server/http/endpoint';
import { listTemplates, postTemplate } from '$server/api/templates/templates';

export const GET = respond(listTemplates);
export const POST = respond(postTemplate);
