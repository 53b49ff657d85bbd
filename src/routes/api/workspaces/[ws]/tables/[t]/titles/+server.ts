import { respond } from '$server/http/endpoint';
import { getCandidates } from '$server/api/records';

export const GET = respond(getCandidates);
