import { respond } from '$server/http/endpoint';
import { getPackageLook } from '$server/api/packages/packages';

export const GET = respond(getPackageLook);
