import { respond } from '$server/http/endpoint';
import { putOwnLanguage } from '$server/api/languages';

export const PUT = respond(putOwnLanguage);
