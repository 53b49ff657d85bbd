import { respond } from '$server/http/endpoint';
import { postOutsideCandidates } from '$server/api/forms/outsideForms';

export const POST = respond(postOutsideCandidates);
