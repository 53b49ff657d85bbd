import { respond } from '$server/http/endpoint';
import { postPaste } from '$server/api/records';

export const POST = respond(postPaste);
