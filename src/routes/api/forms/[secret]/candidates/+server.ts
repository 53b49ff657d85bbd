import { respond } from '$server/http/endpoint';
import { postOutsideCandidates } from '$server/api/outsideForms';

export const POST = respond(postOutsideCandidates);
