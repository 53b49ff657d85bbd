import { respond } from '$server/http/endpoint';
import { deleteSamples, listSamples } from '$server/api/templates/samples';

export const GET = respond(listSamples);
export const DELETE = respond(deleteSamples);
