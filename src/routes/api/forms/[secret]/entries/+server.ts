import { respond } from '$server/http/endpoint';
import { postOutsideEntry } from '$server/api/forms/outsideForms';

export const POST = respond(postOutsideEntry);
