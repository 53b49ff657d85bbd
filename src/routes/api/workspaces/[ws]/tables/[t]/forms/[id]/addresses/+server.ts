import { respond } from '$server/http/endpoint';
import { listAddresses, postAddress } from '$server/api/forms/forms';

export const GET = respond(listAddresses);
export const POST = respond(postAddress);
