import { auth } from '../../../../lib/auth';
import { boundedText, errorReply } from '../../../../lib/route';

export const dynamic = 'force-dynamic';

/** Names and passwords: nobody needs more. In bytes. */
const MOST = 1024 * 1024;

export const GET = (request: Request) => auth().handler(request);

export async function POST(request: Request): Promise<Response> {
  try {
    const { url, headers } = request;
    const body = await boundedText(request, MOST);
    return await auth().handler(new Request(url, { method: 'POST', headers, ...(body !== '' && { body }) }));
  } catch (error) {
    return errorReply(error);
  }
}
