import { respond } from '$server/http/endpoint';
import { postLoadUndo } from '$server/api/intakes';

export const POST = respond(postLoadUndo);
