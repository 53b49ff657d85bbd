import { respond } from '$server/http/endpoint';
import { postOffered } from '$server/api/forms/forms';

export const POST = respond(postOffered);
