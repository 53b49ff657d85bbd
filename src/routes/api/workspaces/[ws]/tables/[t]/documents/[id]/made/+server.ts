import { respond } from '$server/http/endpoint';
import { getMade, postMade } from '$server/api/documents';

export const GET = respond(getMade);
export const POST = respond(postMade);
