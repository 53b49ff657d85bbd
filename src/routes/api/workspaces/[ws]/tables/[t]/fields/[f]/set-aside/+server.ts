import { respond } from '$server/http/endpoint';
import { getSetAsideTexts, postMend } from '$server/api/setAside';

export const GET = respond(getSetAsideTexts);
export const POST = respond(postMend);
