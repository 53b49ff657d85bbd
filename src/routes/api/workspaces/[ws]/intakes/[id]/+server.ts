import { respond } from '$server/http/endpoint';
import { getIntake, deleteIntake } from '$server/api/intakes';

export const GET = respond(getIntake);
export const DELETE = respond(deleteIntake);
