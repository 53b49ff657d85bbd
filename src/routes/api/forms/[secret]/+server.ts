import { respond } from '$server/http/endpoint';
import { getForm } from '$server/api/outsideForms';

export const GET = respond(getForm);
