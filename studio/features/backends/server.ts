import {
  collectContract,
  compareContracts,
  readContract,
  contractAt,
  decodeXml,
  HingeError,
  isGraphql,
  isHttpUrl,
  LIMITS,
  contractKindOf,
  readContractOnce,
  type Change,
  type Contract,
  type ContractFiles,
  type CredentialDocument,
} from '@hinge/core';
import { eq } from 'drizzle-orm';
import { getIntrospectionQuery } from 'graphql';
import { database, schema } from '../../db/client';
import { fetchOutside } from '../../lib/outbound';
import { Told } from '../../lib/route';
import { entryOf } from './view';

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
  return row.contract ? readContractOnce(row.contract) : undefined;
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
    return contractAt(url, {}, fetchText, introspect);
  }
  const files = source.files ?? {};
  if (!Object.keys(files).length) throw new Told(422, 'Bring in a file, paste the text, or name an address.');
  return collectContract(source.entry ?? entryOf(files), files, undefined);
}

async function fetchText(location: string): Promise<string> {
  if (!/^https?:\/\//i.test(location))
    throw new HingeError('HNG-120', `${location} is no http or https address`, { file: location });
  const reply = await fetchOutside(location).catch((error: Error & { code?: string }) => {
    if (error instanceof Told) throw error;
    throw new HingeError('HNG-120', `${location} cannot be fetched: ${error.code ?? error.message}`, {
      file: location,
    });
  });
  if (reply.statusCode !== 200) {
    await reply.body.dump();
    throw new HingeError('HNG-120', `${location} answered ${reply.statusCode}`, { file: location });
  }
  return decodeXml(await bytesOf(reply, location), undefined, location);
}

/** What a GraphQL server says of its types (specification of October 2021, §4); undefined where there is none. */
async function introspect(url: string): Promise<string | undefined> {
  const reply = await fetchOutside(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json', accept: 'application/graphql-response+json, application/json' },
    body: JSON.stringify({ query: getIntrospectionQuery() }),
  }).catch((error: unknown) => {
    if (error instanceof Told) throw error;
    return undefined;
  });
  if (!reply) return undefined;
  if (reply.statusCode !== 200) {
    await reply.body.dump();
    return undefined;
  }
  const text = new TextDecoder().decode(await bytesOf(reply, url));
  return isGraphql(text) ? text : undefined;
}

async function bytesOf(reply: Awaited<ReturnType<typeof fetchOutside>>, location: string): Promise<Uint8Array> {
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
  return Buffer.concat(chunks);
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
  if (contract) contractOf({ contract });
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
/**
 * A newer contract beside the one that is kept: what it says otherwise. With `use` it takes the place of the old one; the port that was chosen stays
 * chosen. Throws HingeError where the contract cannot be read, or no longer has that port.
 */
export async function newerContract(
  name: string,
  source: ContractFiles,
  use: boolean,
): Promise<{ after: Contract; changes: readonly Change[] }> {
  const row = await getBackend(name);
  if (!row) throw new Told(404, `There is no backend ${name}.`);
  const kind = contractKindOf(source.files[source.entry] ?? '');
  const port = kind === 'wsdl' ? row.contract?.port : undefined;
  const after = readContract(source, { port });
  const before = contractOf(row);
  if (use)
    await database()
      .update(backends)
      .set({ contract: { kind, entry: source.entry, files: source.files, ...(port !== undefined && { port }) } })
      .where(eq(backends.name, name));
  return { after, changes: before ? compareContracts(before, after) : [] };
}

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

export async function setCredentials(name: string, credentials: CredentialDocument[]): Promise<void> {
  const done = await database()
    .update(backends)
    .set({ credentials })
    .where(eq(backends.name, name))
    .returning({ name: backends.name });
  if (!done.length) throw new Told(404, `There is no backend ${name}.`);
}

export async function setAddresses(name: string, typed: Readonly<Record<string, string>>): Promise<void> {
  const done = await database()
    .update(backends)
    .set({ addresses: cleanAddresses(typed) })
    .where(eq(backends.name, name))
    .returning({ name: backends.name });
  if (!done.length) throw new Told(404, `There is no backend ${name}.`);
}
