import { respond } from '$server/http/endpoint';
import { getTemplateSchema } from '$server/api/templates/templates';

export const GET = respond(getTemplateSchema);
