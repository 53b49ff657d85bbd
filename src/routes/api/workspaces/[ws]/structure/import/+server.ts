import { respond } from '$server/http/endpoint';
import { postStructureImport } from '$server/api/structure';

export const POST = respond(postStructureImport);
