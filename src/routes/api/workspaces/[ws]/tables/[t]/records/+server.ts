import { respond } from '$server/http/endpoint';
import { listRecords } from '$server/api/recordQueries';
import { postRecords, patchRecords, putRecords, deleteRecords } from '$server/api/recordWrites';

export const GET = respond(listRecords);
export const POST = respond(postRecords);
export const PUT = respond(putRecords);
export const PATCH = respond(patchRecords);
export const DELETE = respond(deleteRecords);
