import { respond } from '$server/http/endpoint';
import { getButtons } from '$server/api/routines';

export const GET = respond(getButtons);
