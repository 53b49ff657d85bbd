import { respond } from '$server/http/endpoint';
import { makeTemplate } from '$server/api/templates/templates';

export const POST = respond(makeTemplate);
