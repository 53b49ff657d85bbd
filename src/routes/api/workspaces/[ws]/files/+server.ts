import { respond } from '$server/http/endpoint';
import { postFiles } from '$server/api/files';

export const POST = respond(postFiles);
