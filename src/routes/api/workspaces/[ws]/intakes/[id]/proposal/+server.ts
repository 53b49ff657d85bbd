import { respond } from '$server/http/endpoint';
import { putProposal } from '$server/api/intakes';

export const PUT = respond(putProposal);
