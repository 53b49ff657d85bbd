import { respond } from '$server/http/endpoint';
import { getIntakes, postIntake } from '$server/api/intakes';

export const GET = respond(getIntakes);
export const POST = respond(postIntake);
