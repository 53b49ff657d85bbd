import { respond } from '$server/http/endpoint';
import { getReceipt } from '$server/api/intakes';

export const GET = respond(getReceipt);
