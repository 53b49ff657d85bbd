import { respond } from '$server/http/endpoint';
import { getMade } from '$server/api/documents';

export const GET = respond(getMade);
