import { createHash } from 'node:crypto';
import { and, desc, eq, lt } from 'drizzle-orm';
import { z } from 'zod';
import { database, schema } from '../../db/client';
import { secretsFor } from '../backends/secrets';
import { callersFor, takeRevoked } from '../callers/config';
import { workspaceGuards } from '../guards/server';
import { hub, type Line, type StoreSaid } from './hub';

const { gateways, rollouts, releases, environments, traces } = schema;

export const hashToken = (token: string): string => createHash('sha256').update(token).digest('hex');

export async function gatewayOf(request: Request) {
  const token = /^Bearer (.+)$/.exec(request.headers.get('authorization') ?? '')?.[1];
  if (!token) return undefined;
  const [row] = await database()
    .select()
    .from(gateways)
    .where(eq(gateways.tokenHash, hashToken(token)));
  return row;
}

/** What every gateway of an environment must run: the newest rollout of each API. */
export async function configFor(environment: string) {
  const db = database();
  const rows = await db
    .selectDistinctOn([rollouts.api], {
      slug: rollouts.api,
      release: releases.number,
      hash: releases.hash,
      document: releases.document,
    })
    .from(rollouts)
    .innerJoin(releases, eq(releases.id, rollouts.release))
    .where(eq(rollouts.environment, environment))
    .orderBy(rollouts.api, desc(rollouts.id));
  const [env] = await db.select().from(environments).where(eq(environments.name, environment));
  const variables = env?.variables ?? {};
  const guards = await workspaceGuards();
  const secrets = await secretsFor(environment);
  const revision = createHash('sha256')
    .update(JSON.stringify([variables, rows.map((r) => [r.slug, r.hash, r.release]), guards, secrets.mark]))
    .digest('hex')
    .slice(0, 12);
  return {
    revision,
    environment,
    variables,
    secrets: secrets.values,
    traceShare: 1,
    apis: rows,
    guards,
    callers: await callersFor(environment),
  };
}

/** Sends the present configuration to all gateways of the environment; they answer with `applied`. */
export async function sendConfig(environment: string): Promise<string> {
  const config = await configFor(environment);
  await database()
    .update(gateways)
    .set({ wantedRevision: config.revision, wantedCallers: config.callers.revision, refusal: null })
    .where(eq(gateways.environment, environment));
  for (const line of hub().in(environment)) line.send('config', config);
  return config.revision;
}

/** The same for every environment, when something changed that holds for all. */
export async function sendConfigs(): Promise<void> {
  for (const { name } of await database().select({ name: environments.name }).from(environments))
    await sendConfig(name);
}

/** Opens the stream of one gateway: its configuration at once, then whatever comes, a ping every 5 s. */
export async function openFeed(
  gateway: { name: string; environment: string },
  signal: AbortSignal,
): Promise<ReadableStream<Uint8Array>> {
  const config = await configFor(gateway.environment);
  await database()
    .update(gateways)
    .set({ seenAt: new Date(), wantedRevision: config.revision, wantedCallers: config.callers.revision })
    .where(eq(gateways.name, gateway.name));
  const encoder = new TextEncoder();
  let close = () => undefined as void;
  return new ReadableStream({
    start(controller) {
      const line: Line = {
        gateway: gateway.name,
        environment: gateway.environment,
        send(event, data) {
          try {
            controller.enqueue(encoder.encode(`event: ${event}\ndata: ${JSON.stringify(data)}\n\n`));
          } catch {
            close();
          }
        },
      };
      const remove = hub().add(line);
      const ping = setInterval(() => line.send('ping', {}), 5_000);
      close = () => {
        clearInterval(ping);
        remove();
        try {
          controller.close();
        } catch {
          // Closed by the other side already.
        }
      };
      signal.addEventListener('abort', close);
      line.send('config', config);
    },
    cancel: () => close(),
  });
}

const loose = z.looseObject({});
export const reportSchema = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('applied'), revision: z.string() }),
  z.object({ kind: z.literal('callers-applied'), revision: z.string() }),
  z.object({
    kind: z.literal('revoked'),
    tokens: z.array(z.object({ jti: z.string().min(1).max(100), until: z.number().int().positive() })).max(1000),
  }),
  z.object({ kind: z.literal('refused'), revision: z.string(), why: z.string() }),
  z.object({
    kind: z.literal('rehearsed'),
    id: z.string(),
    rehearsal: loose.optional(),
    results: z.array(loose).max(2000).optional(),
  }),
  z.object({ kind: z.literal('not-rehearsed'), id: z.string(), why: z.string() }),
  z.object({ kind: z.literal('forgotten'), id: z.string(), count: z.number().int().min(0) }),
  z.object({
    kind: z.literal('webhooks'),
    id: z.string(),
    subscriptions: z.array(loose).max(1000),
    deliveries: z.array(loose).max(1000),
    // A gateway of an older build does not tell of them.
    rates: z.array(loose).max(1000).default([]),
  }),
  z.object({ kind: z.literal('resent'), id: z.string(), done: z.boolean() }),
  z.object({ kind: z.literal('not-forgotten'), id: z.string(), why: z.string() }),
  z.object({
    kind: z.literal('store'),
    state: z.enum(['process', 'connected', 'away']),
    whenAway: z.enum(['own', 'refuse']).optional(),
  }),
  z.object({ kind: z.literal('traces'), traces: z.array(loose).max(1000) }),
]);
export type Report = z.infer<typeof reportSchema>;

const traceHead = z.object({
  id: z.string().max(64),
  at: z.coerce.date(),
  api: z.string().optional(),
  operation: z.string().optional(),
  release: z.int().optional(),
  environment: z.string().optional(),
  app: z.string().max(200).optional(),
  method: z.string(),
  url: z.string(),
  status: z.int(),
  ms: z.number(),
  backendMs: z.number(),
});

/** Traces beyond this many are dropped, oldest first. */
const TRACES_KEPT = 20_000;

export async function takeReport(gateway: { name: string; environment: string }, report: Report): Promise<void> {
  const db = database();
  switch (report.kind) {
    case 'applied':
      await db
        .update(gateways)
        .set({ appliedRevision: report.revision, appliedAt: new Date(), seenAt: new Date(), refusal: null })
        .where(eq(gateways.name, gateway.name));
      return;
    case 'callers-applied':
      await db
        .update(gateways)
        .set({ appliedCallers: report.revision, seenAt: new Date() })
        .where(eq(gateways.name, gateway.name));
      return;
    case 'revoked':
      await takeRevoked(gateway.environment, report.tokens);
      return;
    case 'refused':
      await db
        .update(gateways)
        .set({ refusal: report.why, seenAt: new Date() })
        .where(and(eq(gateways.name, gateway.name), eq(gateways.wantedRevision, report.revision)));
      return;
    case 'rehearsed':
    case 'forgotten':
    case 'webhooks':
    case 'resent':
      hub().settle(report.id, report as never);
      return;
    case 'store':
      hub().stores.set(gateway.name, report);
      return;
    case 'not-rehearsed':
    case 'not-forgotten':
      hub().settle(report.id, new Error(report.why));
      return;
    case 'traces': {
      const rows = report.traces.map((t) => ({ ...traceHead.parse(t), gateway: gateway.name, body: t as unknown }));
      if (rows.length) await db.insert(traces).values(rows).onConflictDoNothing();
      if (Math.random() < 0.02) await trimTraces();
    }
  }
}

async function trimTraces(): Promise<void> {
  const db = database();
  const [edge] = await db.select({ at: traces.at }).from(traces).orderBy(desc(traces.at)).offset(TRACES_KEPT).limit(1);
  if (edge) await db.delete(traces).where(lt(traces.at, edge.at));
}

export interface GatewayState {
  readonly name: string;
  readonly environment: string;
  readonly address: string;
  readonly connected: boolean;
  readonly wanted: string | null;
  readonly applied: string | null;
  readonly appliedAt: string | null;
  readonly refusal: string | null;
  /** As the gateway says; absent while it is not connected. */
  readonly store?: StoreSaid;
}

export async function gatewayStates(): Promise<GatewayState[]> {
  const rows = await database().select().from(gateways).orderBy(gateways.name);
  const connected = hub().connected();
  return rows.map((g) => ({
    name: g.name,
    environment: g.environment,
    address: g.address,
    connected: connected.has(g.name),
    wanted: g.wantedRevision,
    applied: g.appliedRevision,
    appliedAt: g.appliedAt?.toISOString() ?? null,
    refusal: g.refusal,
    store: hub().stores.get(g.name),
  }));
}
