import { respond } from '$server/http/endpoint';
import { getTransfers, postTransfer } from '$server/api/transfers';

export const GET = respond(getTransfers);
export const POST = respond(postTransfer);
