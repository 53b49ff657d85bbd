import { respond } from '$server/http/endpoint';
import { postPaste } from '$server/api/recordWrites';

export const POST = respond(postPaste);
