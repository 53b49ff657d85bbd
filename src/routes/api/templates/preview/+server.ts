import { respond } from '$server/http/endpoint';
import { previewTemplate } from '$server/api/templates/templates';

export const POST = respond(previewTemplate);
