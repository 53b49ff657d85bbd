import { respond } from '$server/http/endpoint';
import { postDuplicates } from '$server/api/duplicates';

export const POST = respond(postDuplicates);
