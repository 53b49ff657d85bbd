import { respond } from '$server/http/endpoint';
import { postAgain } from '$server/api/routines';

export const POST = respond(postAgain);
