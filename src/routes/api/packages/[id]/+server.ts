import { respond } from '$server/http/endpoint';
import { deletePackageLoad, getPackageLoad } from '$server/api/packages/packages';

export const GET = respond(getPackageLoad);
export const DELETE = respond(deletePackageLoad);
