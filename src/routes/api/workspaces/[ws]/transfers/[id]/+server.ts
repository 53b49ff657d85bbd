import { respond } from '$server/http/endpoint';
import { deleteTransfer, getTransfer, putTransfer } from '$server/api/transfers';

export const GET = respond(getTransfer);
export const PUT = respond(putTransfer);
export const DELETE = respond(deleteTransfer);
