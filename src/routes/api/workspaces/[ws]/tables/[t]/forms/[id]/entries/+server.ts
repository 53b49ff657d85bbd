import { respond } from '$server/http/endpoint';
import { postEntry } from '$server/api/forms';

export const POST = respond(postEntry);
