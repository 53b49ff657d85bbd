import { respond } from '$server/http/endpoint';
import { getTranslations, postTranslations } from '$server/api/languages';

export const GET = respond(getTranslations);
export const POST = respond(postTranslations);
