import { respond } from '$server/http/endpoint';
import { listLanguages, postLanguage } from '$server/api/languages';

export const GET = respond(listLanguages);
export const POST = respond(postLanguage);
