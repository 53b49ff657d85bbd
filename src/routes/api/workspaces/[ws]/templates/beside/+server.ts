import { respond } from '$server/http/endpoint';
import { besideTemplate } from '$server/api/templates/templates';

export const POST = respond(besideTemplate);
