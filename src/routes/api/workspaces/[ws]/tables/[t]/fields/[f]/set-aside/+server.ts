import { respond } from '$server/http/endpoint';
import { getSetAsideTexts, postFix } from '$server/api/setAside';

export const GET = respond(getSetAsideTexts);
export const POST = respond(postFix);
