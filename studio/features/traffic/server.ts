import { and, desc, eq, gte, ilike, lt, or, type SQL } from 'drizzle-orm';
import { database, schema } from '../../db/client';

const { traces } = schema;

export interface TraceRow {
  readonly id: string;
  readonly at: string;
  readonly api: string | null;
  readonly operation: string | null;
  readonly release: number | null;
  readonly environment: string | null;
  readonly app: string | null;
  readonly method: string;
  readonly url: string;
  readonly status: number;
  readonly ms: number;
}

export interface TraceFilter {
  readonly api?: string;
  /** "2" to "5": class of the status. */
  readonly status?: string;
  readonly text?: string;
  /** ISO time: only older ones. */
  readonly before?: string;
}

export const TRACES_PAGE = 100;

export async function listTraces(filter: TraceFilter): Promise<TraceRow[]> {
  const where: (SQL | undefined)[] = [];
  if (filter.api) where.push(eq(traces.api, filter.api));
  if (filter.status && /^[1-5]$/.test(filter.status))
    where.push(
      and(gte(traces.status, Number(filter.status) * 100), lt(traces.status, (Number(filter.status) + 1) * 100)),
    );
  if (filter.text)
    where.push(
      or(
        ilike(traces.url, `%${filter.text.replace(/[%_\\]/g, '\\$&')}%`),
        ilike(traces.operation, `%${filter.text.replace(/[%_\\]/g, '\\$&')}%`),
        eq(traces.app, filter.text),
      ),
    );
  if (filter.before && !Number.isNaN(Date.parse(filter.before))) where.push(lt(traces.at, new Date(filter.before)));
  const rows = await database()
    .select({
      id: traces.id,
      at: traces.at,
      api: traces.api,
      operation: traces.operation,
      release: traces.release,
      environment: traces.environment,
      app: traces.app,
      method: traces.method,
      url: traces.url,
      status: traces.status,
      ms: traces.ms,
    })
    .from(traces)
    .where(and(...where))
    .orderBy(desc(traces.at))
    .limit(TRACES_PAGE);
  return rows.map((r) => ({ ...r, at: r.at.toISOString() }));
}

export async function getTrace(id: string): Promise<unknown> {
  const [row] = await database().select().from(traces).where(eq(traces.id, id));
  return row && { ...(row.body as object), gateway: row.gateway };
}
