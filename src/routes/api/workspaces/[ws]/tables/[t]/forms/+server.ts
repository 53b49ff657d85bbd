import { respond } from '$server/http/endpoint';
import { listForms, postForm } from '$server/api/forms/forms';

export const GET = respond(listForms);
export const POST = respond(postForm);
