import { respond } from '$server/http/endpoint';
import { compareTemplates } from '$server/api/templates/templates';

export const POST = respond(compareTemplates);
