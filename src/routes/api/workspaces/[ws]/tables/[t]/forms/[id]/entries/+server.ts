import { respond } from '$server/http/endpoint';
import { postEntry } from '$server/api/forms/forms';

export const POST = respond(postEntry);
