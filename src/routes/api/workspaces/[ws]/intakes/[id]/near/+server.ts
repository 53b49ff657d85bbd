import { respond } from '$server/http/endpoint';
import { getNearTargets } from '$server/api/intakes';

export const GET = respond(getNearTargets);
