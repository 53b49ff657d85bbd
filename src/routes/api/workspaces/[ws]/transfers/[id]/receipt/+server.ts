import { respond } from '$server/http/endpoint';
import { getTransferReceipt } from '$server/api/transfers';

export const GET = respond(getTransferReceipt);
