import { respond } from '$server/http/endpoint';
import { deleteKeptApart, getKeptApart, postKeptApart } from '$server/api/duplicates';

export const GET = respond(getKeptApart);
export const POST = respond(postKeptApart);
export const DELETE = respond(deleteKeptApart);
