import { respond } from '$server/http/endpoint';
import { getFindingsCount } from '$server/api/structure';

export const GET = respond(getFindingsCount);
