import { respond } from '$server/http/endpoint';
import { postOutsideEntry } from '$server/api/outsideForms';

export const POST = respond(postOutsideEntry);
