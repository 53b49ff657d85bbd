import { respond } from '$server/http/endpoint';
import { postFormulaCheck } from '$server/api/records';

export const POST = respond(postFormulaCheck);
