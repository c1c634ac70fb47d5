import {
  collectContract,
  decodeXml,
  HingeError,
  isHttpUrl,
  LIMITS,
  contractKindOf,
  readContract,
  typeRows,
  type JsonSchema,
  type Place,
  type TypeTable,
  type Contract,
  type ContractFiles,
  type TypeRow,
} from '@hinge/core';
import { eq } from 'drizzle-orm';
import { request } from 'undici';
import { database, schema } from '../../db/client';
import { Told } from '../../lib/route';

const { backends } = schema;

export type BackendRow = typeof backends.$inferSelect;

export async function listBackends(): Promise<BackendRow[]> {
  return database().select().from(backends).orderBy(backends.name);
}

export async function getBackend(name: string): Promise<BackendRow | undefined> {
  const [row] = await database().select().from(backends).where(eq(backends.name, name));
  return row;
}

export function contractOf(row: Pick<BackendRow, 'contract'>): Contract | undefined {
  return row.contract ? readContract(row.contract, { port: row.contract.port }) : undefined;
}

/** A contract as screens show it: typed trees instead of schemas and wire forms. */
export interface ContractView {
  readonly name: string;
  readonly documentation?: string;
  readonly addresses: readonly string[];
  readonly findings: readonly {
    readonly code: string;
    readonly severity: string;
    readonly message: string;
    readonly remedy: string;
  }[];
  readonly operations: readonly OperationView[];
  readonly types: readonly TypeView[];
}

/** A named type: its rows, where it stands in the documents, and which operations reach it. */
export interface TypeView {
  readonly name: string;
  readonly description?: string;
  readonly place?: string;
  readonly rows: readonly TypeRow[];
  readonly usedBy: readonly string[];
}

export interface OperationView {
  readonly id: string;
  readonly documentation?: string;
  readonly unusable?: string;
  readonly protocol: string;
  readonly place?: string;
  readonly request: readonly TypeRow[];
  readonly headers: readonly {
    readonly name: string;
    readonly words: string;
    readonly required: boolean;
    readonly documentation?: string;
  }[];
  readonly reply?: readonly TypeRow[];
  readonly faults: readonly {
    readonly name: string;
    readonly documentation?: string;
    readonly rows: readonly TypeRow[];
  }[];
}

const placeText = (p: Place | undefined): string | undefined =>
  p?.file === undefined ? undefined : p.line === undefined ? p.file : `${p.file}, line ${p.line}`;

export function viewOf(contract: Contract): ContractView {
  // A large contract is read by searching, not by scrolling through one type.
  const rows = contract.operations.length > 200 ? 80 : 500;
  return {
    name: contract.name,
    documentation: contract.documentation,
    addresses: contract.addresses,
    findings: contract.findings,
    operations: contract.operations.map((o) => ({
      id: o.id,
      documentation: o.documentation,
      unusable: o.unusable,
      place: placeText(o.place),
      protocol: o.soap
        ? `SOAP ${o.soap.version}, ${o.soap.style}/literal`
        : o.http
          ? `${o.http.method} ${o.http.path}`
          : '',
      request: typeRows(o.request.body, contract.types, rows),
      headers: o.http
        ? o.http.parameters.map((p) => ({
            name: p.name,
            words: `${typeRows({ properties: { p: p.schema } }, contract.types)[0]?.words ?? ''} in ${p.in}`,
            required: p.required,
            documentation: p.documentation,
          }))
        : o.request.headers.map((h) => ({
            name: h.name,
            words: `${typeRows({ properties: { h: h.schema } }, contract.types)[0]?.words ?? ''} in header`,
            required: h.required,
            documentation: h.documentation,
          })),
      reply: o.reply && typeRows(o.reply.body, contract.types, rows),
      faults: o.faults.map((f) => ({
        name: f.name,
        documentation: f.documentation,
        rows: typeRows(f.schema, contract.types, 200),
      })),
    })),
    types: typeViews(contract),
  };
}

function typeViews(contract: Contract): TypeView[] {
  const users = new Map<string, Set<string>>();
  for (const o of contract.operations)
    for (const name of reachedFrom([o.request.body, o.reply?.body, ...o.faults.map((f) => f.schema)], contract.types))
      users.set(name, (users.get(name) ?? new Set()).add(o.id));
  return Object.entries(contract.types).map(([name, schema]) => ({
    name,
    description: schema.description,
    place: placeText(contract.typePlaces?.[name]),
    rows: typeRows(schema, contract.types, 40),
    usedBy: [...(users.get(name) ?? [])],
  }));
}

/** Names of all types that schemas refer to, also by way of other types. */
function reachedFrom(schemas: readonly (JsonSchema | undefined)[], types: TypeTable): Set<string> {
  const out = new Set<string>();
  const walk = (node: unknown): void => {
    if (node === null || typeof node !== 'object') return;
    const ref = (node as JsonSchema).$ref;
    if (typeof ref === 'string' && ref.startsWith('#/types/')) {
      const name = ref.slice('#/types/'.length);
      if (!out.has(name)) {
        out.add(name);
        walk(types[name]);
      }
    }
    for (const v of Object.values(node)) walk(v);
  };
  schemas.forEach(walk);
  return out;
}

/** Gathers a contract from what was typed, dropped or named by URL. Nothing is saved. */
export async function gather(source: {
  url?: string;
  files?: Record<string, string>;
  entry?: string;
}): Promise<ContractFiles> {
  if (source.url) {
    const url = source.url.trim();
    if (!/^https?:\/\//i.test(url) || !URL.canParse(url))
      throw new Told(422, `${url || 'The address'} is no http or https address.`);
    return collectContract(url, {}, fetchText);
  }
  const files = source.files ?? {};
  const names = Object.keys(files);
  if (!names.length) throw new Told(422, 'Bring in a file, paste the text, or name an address.');
  const entry =
    source.entry ??
    names.find((n) => /\.wsdl$/i.test(n)) ??
    names.find((n) => /<([\w-]+:)?definitions\b/.test(files[n]!)) ??
    names.find((n) => /^\s*\{?\s*["']?(openapi|swagger)["']?\s*:/m.test(files[n]!)) ??
    names[0]!;
  return collectContract(entry, files, undefined);
}

async function fetchText(location: string): Promise<string> {
  if (!/^https?:\/\//i.test(location))
    throw new HingeError('HNG-120', `${location} is no http or https address`, { file: location });
  const reply = await request(location, { headersTimeout: 10_000, bodyTimeout: 10_000 }).catch(
    (error: Error & { code?: string }) => {
      throw new HingeError('HNG-120', `${location} cannot be fetched: ${error.code ?? error.message}`, {
        file: location,
      });
    },
  );
  if (reply.statusCode !== 200) {
    await reply.body.dump();
    throw new HingeError('HNG-120', `${location} answered ${reply.statusCode}`, { file: location });
  }
  const chunks: Uint8Array[] = [];
  let size = 0;
  for await (const chunk of reply.body as AsyncIterable<Uint8Array>) {
    size += chunk.length;
    if (size > LIMITS.contractBytes) {
      reply.body.destroy();
      throw new HingeError('HNG-103', `${location} is larger than ${LIMITS.contractBytes} bytes`, { file: location });
    }
    chunks.push(chunk);
  }
  return decodeXml(Buffer.concat(chunks), undefined, location);
}

export async function addBackend(args: {
  name: string;
  title: string;
  source?: ContractFiles;
  port?: string;
  addresses: Record<string, string>;
  by: string;
}): Promise<void> {
  const contract = args.source && {
    kind: contractKindOf(args.source.files[args.source.entry] ?? ''),
    entry: args.source.entry,
    files: args.source.files,
    ...(args.port && { port: args.port }),
  };
  if (contract) readContract(contract, { port: args.port });
  const made = await database()
    .insert(backends)
    .values({
      name: args.name,
      title: args.title,
      contract: contract ?? null,
      addresses: args.addresses,
      createdBy: args.by,
    })
    .onConflictDoNothing()
    .returning({ name: backends.name });
  if (!made.length) throw new Told(409, `There is a backend ${args.name} already; choose another name.`);
}

/** Addresses as typed: empty ones left out, anything but http and https refused. */
export function cleanAddresses(typed: Readonly<Record<string, string>>): Record<string, string> {
  const out: Record<string, string> = {};
  for (const [environment, text] of Object.entries(typed)) {
    const url = text.trim();
    if (!url) continue;
    if (!isHttpUrl(url)) throw new Told(422, `The address in ${environment} is no http or https address: ${url}`);
    out[environment] = url;
  }
  return out;
}

export async function setAddresses(name: string, typed: Readonly<Record<string, string>>): Promise<void> {
  const done = await database()
    .update(backends)
    .set({ addresses: cleanAddresses(typed) })
    .where(eq(backends.name, name))
    .returning({ name: backends.name });
  if (!done.length) throw new Told(404, `There is no backend ${name}.`);
}
