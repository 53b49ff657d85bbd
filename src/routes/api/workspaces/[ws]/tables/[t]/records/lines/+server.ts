import { respond } from '$server/http/endpoint';
import { postLines, putLines } from '$server/api/recordLines';

export const POST = respond(postLines);
export const PUT = respond(putLines);
