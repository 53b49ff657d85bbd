import { respond } from '$server/http/endpoint';
import { getCandidates } from '$server/api/recordQueries';

export const GET = respond(getCandidates);
