import { respond } from '$server/http/endpoint';
import { putReading } from '$server/api/intakes';

export const PUT = respond(putReading);
