import { errorReply, Told } from '../../../../lib/route';
import { gatewayOf, reportSchema, takeReport } from '../../../../features/gateways/server';

export const dynamic = 'force-dynamic';

export async function POST(request: Request): Promise<Response> {
  try {
    const gateway = await gatewayOf(request);
    if (!gateway) throw new Told(401, 'The token is not known.');
    const parsed = reportSchema.safeParse(await request.json());
    if (!parsed.success) throw new Told(400, parsed.error.message);
    await takeReport(gateway, parsed.data);
    return Response.json({});
  } catch (error) {
    return errorReply(error);
  }
}
