import { respond } from '$server/http/endpoint';
import { postDryRun } from '$server/api/intakes';

export const POST = respond(postDryRun);
