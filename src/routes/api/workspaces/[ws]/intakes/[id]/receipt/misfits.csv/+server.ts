import { respond } from '$server/http/endpoint';
import { getMisfits } from '$server/api/intakes';

export const GET = respond(getMisfits);
