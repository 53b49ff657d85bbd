import { respond } from '$server/http/endpoint';
import { getWhyNot } from '$server/api/intakes';

export const GET = respond(getWhyNot);
