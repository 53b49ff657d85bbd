import { respond } from '$server/http/endpoint';
import { getDistribution } from '$server/api/intakes';

export const GET = respond(getDistribution);
