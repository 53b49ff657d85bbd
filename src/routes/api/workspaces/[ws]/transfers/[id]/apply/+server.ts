import { respond } from '$server/http/endpoint';
import { postTransferApply } from '$server/api/transfers';

export const POST = respond(postTransferApply);
