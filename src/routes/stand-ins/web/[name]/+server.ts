import { problemResponse } from '$server/http/problem';
import { textWithin } from '$server/http/body';
import { receive, requireStandIns } from '$server/standIns/web';

export const POST = async ({ params, request }) => {
  try {
    requireStandIns();
    const status = receive(params.name.slice(0, 60), request.headers, await textWithin(request, 4_000_000, '4 MB'));
    return new Response(status < 300 ? 'received' : `answers ${status}, as it was told to`, { status });
  } catch (error) {
    return problemResponse(error);
  }
};
