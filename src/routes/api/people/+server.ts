import { respond } from '$server/http/endpoint';
import { getPeople, postPerson } from '$server/api/people/directory';

export const GET = respond(getPeople);
export const POST = respond(postPerson);
