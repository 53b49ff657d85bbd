import { respond } from '$server/http/endpoint';
import { getBehind } from '$server/api/summaries';

export const GET = respond(getBehind);
