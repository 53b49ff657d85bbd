import { respond } from '$server/http/endpoint';
import { deleteDirectoryGroup, patchGroup } from '$server/api/people/directory';

export const PATCH = respond(patchGroup);
export const DELETE = respond(deleteDirectoryGroup);
