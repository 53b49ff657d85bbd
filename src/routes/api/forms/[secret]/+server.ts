import { respond } from '$server/http/endpoint';
import { getForm } from '$server/api/forms/outsideForms';

export const GET = respond(getForm);
