import { respond } from '$server/http/endpoint';
import { getPackage } from '$server/api/packages/packages';

export const GET = respond(getPackage);
