import { respond } from '$server/http/endpoint';
import { postTransferTry } from '$server/api/transfers';

export const POST = respond(postTransferTry);
