import { respond } from '$server/http/endpoint';
import { deleteAddress, patchAddress } from '$server/api/forms/forms';

export const PATCH = respond(patchAddress);
export const DELETE = respond(deleteAddress);
