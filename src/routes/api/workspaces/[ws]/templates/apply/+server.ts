import { respond } from '$server/http/endpoint';
import { applyUse } from '$server/api/templates/templates';

export const POST = respond(applyUse);
