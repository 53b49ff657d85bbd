import { respond } from '$server/http/endpoint';
import { listPackages, postPackage } from '$server/api/packages/packages';

export const GET = respond(listPackages);
export const POST = respond(postPackage);
