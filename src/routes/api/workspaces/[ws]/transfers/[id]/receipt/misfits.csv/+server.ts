import { respond } from '$server/http/endpoint';
import { getTransferMisfits } from '$server/api/transfers';

export const GET = respond(getTransferMisfits);
