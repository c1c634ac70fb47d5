import { z } from 'zod';
import { boundedText, errorReply, Told } from '../../../../lib/route';
import { gatewayOf, reportSchema, takeReport } from '../../../../features/gateways/server';

export const dynamic = 'force-dynamic';

/** Traces of a gateway come in batches of 32 million characters at the most. */
const REPORT_LIMIT = 128 * 1024 * 1024;

function reportOf(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    throw new Told(400, 'The report is not JSON.');
  }
}

export async function POST(request: Request): Promise<Response> {
  try {
    const gateway = await gatewayOf(request);
    if (!gateway) throw new Told(401, 'The token is not known.');
    const parsed = reportSchema.safeParse(reportOf(await boundedText(request, REPORT_LIMIT)));
    if (!parsed.success) throw new Told(400, z.prettifyError(parsed.error));
    await takeReport(gateway, parsed.data);
    return Response.json({});
  } catch (error) {
    return errorReply(error);
  }
}
