import { json } from '@sveltejs/kit';
import { openApiDocument } from '$server/api/openapi';

export const GET = () => json(openApiDocument());
