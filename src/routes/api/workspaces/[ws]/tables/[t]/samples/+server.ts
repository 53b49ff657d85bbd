import { respond } from '$server/http/endpoint';
import { postSamples } from '$server/api/templates/samples';

export const POST = respond(postSamples);
