import { respond } from '$server/http/endpoint';
import { tryBlocks } from '$server/api/summaries';

export const POST = respond(tryBlocks);
