import { respond } from '$server/http/endpoint';
import { listViews, postView } from '$server/api/views/views';

export const GET = respond(listViews);
export const POST = respond(postView);
