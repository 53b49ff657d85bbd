import { respond } from '$server/http/endpoint';
import { postCandidates } from '$server/api/structure';

export const POST = respond(postCandidates);
