import { respond } from '$server/http/endpoint';
import { getFindingsCount } from '$server/api/findings';

export const GET = respond(getFindingsCount);
