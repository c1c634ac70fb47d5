import {
  checkDocument,
  checkShape,
  clashesOf,
  type Finding,
  type FlowDocument,
  type PackedRehearsal,
  type CaseDocument,
  type CaseResult,
  type Neighbours,
  type StepTyping,
  typeFlow,
  neighbourNames,
  operationsUsed,
} from '@hinge/core';
import { createHash } from 'node:crypto';
import { and, desc, eq, max, sql } from 'drizzle-orm';
import { database, schema } from '../../db/client';
import { Told } from '../../lib/route';
import { listBackends, type BackendRow } from '../backends/server';
import { sendConfig } from '../gateways/server';
import { workspaceGuards } from '../guards/server';
import { hub, NoGateway } from '../gateways/hub';

const { apis, drafts, releases, rollouts, environments } = schema;

export interface ApiSummary {
  readonly slug: string;
  readonly name: string;
  readonly base: string;
  readonly operations: number;
  readonly revision: number;
  readonly releases: readonly { readonly environment: string; readonly number: number }[];
}

const latestDrafts = () =>
  database()
    .selectDistinctOn([drafts.api], { slug: drafts.api, revision: drafts.revision, document: drafts.document })
    .from(drafts)
    .orderBy(drafts.api, desc(drafts.revision));

export async function listApis(): Promise<ApiSummary[]> {
  const db = database();
  const rows = await latestDrafts();
  const out = await db
    .selectDistinctOn([rollouts.api, rollouts.environment], {
      api: rollouts.api,
      environment: rollouts.environment,
      number: releases.number,
    })
    .from(rollouts)
    .innerJoin(releases, eq(releases.id, rollouts.release))
    .orderBy(rollouts.api, rollouts.environment, desc(rollouts.id));
  return rows.map((r) => ({
    slug: r.slug,
    name: r.document.api.name,
    base: r.document.doors[0]?.path ?? '',
    operations: Object.keys(r.document.operations).length,
    revision: r.revision,
    releases: out.filter((o) => o.api === r.slug).map((o) => ({ environment: o.environment, number: o.number })),
  }));
}

export interface Draft {
  readonly slug: string;
  readonly revision: number;
  readonly document: FlowDocument;
  readonly savedBy: string;
  readonly savedAt: string;
}

export async function getDraft(slug: string): Promise<Draft | undefined> {
  const [row] = await database()
    .select()
    .from(drafts)
    .where(eq(drafts.api, slug))
    .orderBy(desc(drafts.revision))
    .limit(1);
  return (
    row && {
      slug,
      revision: row.revision,
      document: row.document,
      savedBy: row.createdBy,
      savedAt: row.createdAt.toISOString(),
    }
  );
}

/** Flows of all drafts that use operations of a backend, by operation: "berths / GetBerth". */
export async function usersOf(backend: string): Promise<Map<string, string[]>> {
  const out = new Map<string, string[]>();
  for (const api of await listApis()) {
    const draft = await getDraft(api.slug);
    if (!draft) continue;
    for (const [operation, flows] of operationsUsed(draft.document, backend))
      out.set(operation, [...(out.get(operation) ?? []), ...flows.map((f) => `${api.slug} / ${f}`)]);
  }
  return out;
}

export async function createApi(document: FlowDocument, slug: string, by: string): Promise<void> {
  await database().transaction(async (tx) => {
    const made = await tx.insert(apis).values({ slug, name: document.api.name }).onConflictDoNothing().returning();
    if (!made.length) throw new Told(409, `There is an API ${slug} already; choose another name.`);
    await tx.insert(drafts).values({ api: slug, revision: 1, document, createdBy: by, note: 'drafted' });
  });
}

/** Shape only: a draft with findings may be saved, one that is no flow document may not. */
export function demandShape(value: unknown): FlowDocument {
  const read = checkShape(value, (path) => ({ pointer: path.map((p) => `/${String(p)}`).join('') }));
  if (!read.document) throw new Told(422, read.findings.map((f) => f.message).join('; '), { findings: read.findings });
  return read.document;
}

/** Saves on top of `base`; when somebody else saved meanwhile, tells who, and overwrites nothing. */
export async function saveDraft(
  slug: string,
  base: number,
  document: FlowDocument,
  by: string,
  note: string,
): Promise<number> {
  const newest = await database().transaction(async (tx) => {
    // One save of an API at a time: what is refused leaves nothing behind.
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext(${`draft ${slug}`}))`);
    const [row] = await tx
      .select({ revision: max(drafts.revision) })
      .from(drafts)
      .where(eq(drafts.api, slug));
    const before = row?.revision ?? 0;
    if (before === base)
      await tx.insert(drafts).values({ api: slug, revision: base + 1, document, createdBy: by, note });
    return before;
  });
  if (newest === base) return base + 1;
  if (newest === 0) throw new Told(404, `There is no API ${slug}.`);
  if (base > newest) throw new Told(400, `There is no draft ${base} of ${slug} to save on; the newest is ${newest}.`);
  const now = await getDraft(slug);
  throw new Told(
    409,
    `${now?.savedBy ?? 'Somebody'} saved draft ${now?.revision} meanwhile. Your change is still on this screen and was not saved.`,
    { revision: now?.revision, by: now?.savedBy },
  );
}

/** Puts contracts and addresses of the studio's backends into a draft: the whole document, as a gateway needs it. */
export async function assemble(document: FlowDocument): Promise<FlowDocument> {
  const rows = new Map((await listBackends()).map((b) => [b.name, b]));
  const whole: NonNullable<FlowDocument['backends']> = {};
  for (const [name, own] of Object.entries(document.backends ?? {}))
    whole[name] = { ...own, ...fromRow(rows.get(name)) };
  return { ...document, backends: whole };
}

function fromRow(row: BackendRow | undefined): NonNullable<FlowDocument['backends']>[string] {
  if (!row) return {};
  return {
    ...(row.contract && {
      contract: {
        kind: row.contract.kind,
        entry: row.contract.entry,
        files: { ...row.contract.files },
        ...(row.contract.port && { port: row.contract.port }),
      },
    }),
    addresses: row.addresses,
    ...(row.credentials.length && { credentials: row.credentials }),
    ...(row.timeoutMs !== null && { timeoutMs: row.timeoutMs }),
    ...(row.lenient && { reply: 'lenient' }),
  };
}

export interface Rehearsed {
  readonly findings?: readonly Finding[];
  readonly typing?: readonly StepTyping[];
  readonly rehearsal?: PackedRehearsal;
  /** Why there is no rehearsal, where there is none. */
  readonly why?: string;
}

const REHEARSAL_MS = 30_000;

/** What a browser needs to check a draft by itself: contracts and addresses of these backends, drafts of these APIs. */
export async function surroundingsOf(apis: readonly string[], backends: readonly string[]) {
  const rows = (await listBackends()).filter((b) => backends.includes(b.name));
  const neighbours: Record<string, FlowDocument> = {};
  for (const name of apis) {
    const draft = await getDraft(name);
    if (draft) neighbours[name] = draft.document;
  }
  return { backends: Object.fromEntries(rows.map((r) => [r.name, fromRow(r)])), neighbours };
}

/** Runs the sample on a gateway of the environment, and checks the draft where the browser did not. */
export async function rehearseDraft(
  document: FlowDocument,
  sample: CaseDocument,
  environment: string,
  check: boolean,
): Promise<Rehearsed> {
  const whole = await assemble(document);
  const neighbours = check ? await neighboursOf(whole) : undefined;
  const checked = neighbours && {
    findings: checkDocument(whole, { environments: [environment], neighbours }),
    typing: typeFlow(whole, sample.operation, neighbours),
  };
  const [env] = await database().select().from(environments).where(eq(environments.name, environment));
  try {
    const { rehearsal } = await hub().rehearse(
      environment,
      { document: whole, case: sample, environment, guards: await workspaceGuards(), variables: env?.variables ?? {} },
      REHEARSAL_MS,
    );
    return { ...checked, rehearsal };
  } catch (error) {
    if (!(error instanceof Error)) throw error;
    return { ...checked, why: error instanceof NoGateway ? error.message : `The rehearsal failed: ${error.message}` };
  }
}

/** Runs cases of a draft on a gateway of the environment, and judges them. */
export async function runDraftCases(
  document: FlowDocument,
  cases: readonly CaseDocument[],
  environment: string,
): Promise<readonly CaseResult[]> {
  const whole = await assemble(document);
  const [env] = await database().select().from(environments).where(eq(environments.name, environment));
  try {
    const { results } = await hub().rehearse(
      environment,
      { document: whole, cases, environment, guards: await workspaceGuards(), variables: env?.variables ?? {} },
      REHEARSAL_MS * 4,
    );
    return results ?? [];
  } catch (error) {
    throw new Told(503, `The cases were not run: ${(error as Error).message}.`);
  }
}

/** Everything the checker says of a draft: its own findings, and paths that another API answers already. */
export async function findingsOf(slug: string, document: FlowDocument, environment: string): Promise<Finding[]> {
  const whole = await assemble(document);
  const others = (await latestDrafts()).filter((d) => d.slug !== slug).map((d) => d.document);
  return [
    ...checkDocument(whole, { environments: [environment], neighbours: await neighboursOf(whole) }),
    ...(clashesOf([...others, document]).get(others.length) ?? []),
  ];
}

/** Drafts of the other APIs, where a flow calls one of them. */
export async function neighboursOf(document: FlowDocument): Promise<Neighbours> {
  const found = new Map<string, FlowDocument>();
  for (const name of neighbourNames(document)) {
    const draft = await getDraft(name);
    if (draft) found.set(name, draft.document);
  }
  return (name) => found.get(name);
}

export async function listEnvironments(): Promise<
  { name: string; title: string; variables: Record<string, unknown> }[]
> {
  return database()
    .select({ name: environments.name, title: environments.title, variables: environments.variables })
    .from(environments)
    .orderBy(environments.position);
}

/** Numbers the draft, keeps it for ever, rolls it out to the environment and tells the gateways. */
export async function release(
  slug: string,
  revision: number,
  environment: string,
  notes: string,
  by: string,
): Promise<{ number: number; revision: string }> {
  const db = database();
  const [draft] = await db
    .select()
    .from(drafts)
    .where(and(eq(drafts.api, slug), eq(drafts.revision, revision)));
  if (!draft) throw new Told(404, `There is no draft ${revision} of ${slug}.`);
  const document = await assemble(draft.document);
  const errors = checkDocument(document, {
    environments: [environment],
    neighbours: await neighboursOf(document),
  }).filter((f) => f.severity === 'error');
  if (errors.length)
    throw new Told(
      422,
      `${errors.length} ${errors.length === 1 ? 'finding stands' : 'findings stand'} in the way: ${errors[0]!.message}.`,
      { findings: errors },
    );
  const hash = createHash('sha256').update(JSON.stringify(document)).digest('hex');
  const number = await db.transaction(async (tx) => {
    await tx.execute(sql`select pg_advisory_xact_lock(hashtext(${`release ${slug}`}))`);
    const [last] = await tx
      .select({ n: max(releases.number) })
      .from(releases)
      .where(eq(releases.api, slug));
    const n = (last?.n ?? 0) + 1;
    const [made] = await tx
      .insert(releases)
      .values({ api: slug, number: n, hash, document, draftRevision: revision, notes, createdBy: by })
      .returning({ id: releases.id });
    await tx.insert(rollouts).values({ api: slug, environment, release: made!.id, createdBy: by });
    return n;
  });
  return { number, revision: await sendConfig(environment) };
}

export interface ReleaseRow {
  readonly api: string;
  readonly number: number;
  readonly hash: string;
  readonly notes: string;
  readonly by: string;
  readonly at: string;
  readonly draft: number;
  readonly environments: readonly string[];
}

export async function listReleases(): Promise<ReleaseRow[]> {
  const db = database();
  const rows = await db.select().from(releases).orderBy(desc(releases.id)).limit(500);
  const running = await db
    .selectDistinctOn([rollouts.api, rollouts.environment], {
      environment: rollouts.environment,
      release: rollouts.release,
    })
    .from(rollouts)
    .orderBy(rollouts.api, rollouts.environment, desc(rollouts.id));
  return rows.map((r) => ({
    api: r.api,
    number: r.number,
    hash: r.hash.slice(0, 12),
    notes: r.notes,
    by: r.createdBy,
    at: r.createdAt.toISOString(),
    draft: r.draftRevision,
    environments: running.filter((x) => x.release === r.id).map((x) => x.environment),
  }));
}

/** The document of a release, as it ran. */
export async function releasedDocument(slug: string, number: number): Promise<FlowDocument | undefined> {
  const [row] = await database()
    .select({ document: releases.document })
    .from(releases)
    .where(and(eq(releases.api, slug), eq(releases.number, number)));
  return row?.document;
}
