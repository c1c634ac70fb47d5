import {
  collectContract,
  contractAt,
  decodeXml,
  HingeError,
  INTROSPECTED,
  isGraphql,
  placesIn,
  readDocument,
  type ContractFiles,
  type Finding,
  type FlowDocument,
  type Place,
} from '@hinge/core';
import { readFile, stat } from 'node:fs/promises';
import { dirname, resolve } from 'node:path';
import { getIntrospectionQuery } from 'graphql';
import { request } from 'undici';
import { LIMITS } from '@hinge/core';

const isUrl = (text: string): boolean => /^https?:\/\//i.test(text);

/** Reads a file or an http(s) URL as text. XML by its declared encoding. */
export async function readText(location: string, base = '.', onRead?: (path: string) => void): Promise<string> {
  if (!isUrl(location)) onRead?.(isUrl(base) ? location : resolve(base, location));
  const bytes = isUrl(location)
    ? await fetchBytes(location)
    : await fileBytes(isUrl(base) ? location : resolve(base, location), location);
  return /\.(wsdl|xsd|xml)$|[?&]wsdl/i.test(location) || bytes[0] === 0x3c || bytes[0] === 0xfe || bytes[0] === 0xff
    ? decodeXml(bytes, undefined, location)
    : new TextDecoder().decode(bytes);
}

async function fileBytes(path: string, shown: string): Promise<Uint8Array> {
  const info = await stat(path).catch(() => undefined);
  if (!info) throw new HingeError('HNG-120', `there is no file ${shown}`, { file: shown });
  if (info.isDirectory())
    throw new HingeError('HNG-120', `${shown} is a folder`, { file: shown }, { remedy: 'Name the file itself.' });
  if (info.size > LIMITS.documentBytes)
    throw new HingeError('HNG-103', `${shown} has ${info.size} bytes; at most ${LIMITS.documentBytes} are read`, {
      file: shown,
    });
  return readFile(path);
}

async function fetchBytes(url: string): Promise<Uint8Array> {
  const reply = await request(url, { headersTimeout: 20_000, bodyTimeout: 20_000 }).catch(
    (error: Error & { code?: string }) => {
      throw new HingeError('HNG-120', `${url} cannot be fetched: ${error.code ?? error.message}`, { file: url });
    },
  );
  if (reply.statusCode !== 200) {
    await reply.body.dump();
    throw new HingeError('HNG-120', `${url} answered ${reply.statusCode}`, { file: url });
  }
  const bytes = new Uint8Array(await reply.body.arrayBuffer());
  if (bytes.length > LIMITS.contractBytes)
    throw new HingeError('HNG-103', `${url} is larger than ${LIMITS.contractBytes} bytes`, { file: url });
  return bytes;
}

/** What a GraphQL server says of its types (specification of October 2021, §4), where there is one. */
async function introspect(url: string): Promise<string | undefined> {
  const reply = await request(url, {
    method: 'POST',
    headers: { 'content-type': 'application/json', accept: 'application/graphql-response+json, application/json' },
    body: JSON.stringify({ query: getIntrospectionQuery() }),
    headersTimeout: 20_000,
    bodyTimeout: 20_000,
  }).catch(() => undefined);
  if (!reply) return undefined;
  const bytes = new Uint8Array(await reply.body.arrayBuffer());
  if (bytes.length > LIMITS.contractBytes) return undefined;
  const text = new TextDecoder().decode(bytes);
  return reply.statusCode === 200 && isGraphql(text) ? text : undefined;
}

/** The same, with the address of the server where the types came from. */
export type FoundContract = ContractFiles & { readonly introspected?: string };

/** A contract with everything it imports; further files given on the command line count as brought along. A GraphQL server is asked for its types. */
export async function readContractFiles(locations: readonly string[]): Promise<FoundContract> {
  const [first, ...more] = locations;
  const given: Record<string, string> = {};
  for (const location of more) given[location] = await readText(location);
  if (isUrl(first!)) {
    const found = await contractAt(first!, given, (location) => readText(location), introspect);
    return found.entry === INTROSPECTED ? { ...found, introspected: first! } : relativeTo(found);
  }
  const collected = await collectContract(first!, given, (location) => readText(location));
  return relativeTo(collected);
}

/** Names relative to the entry's folder, so that the document can move to another machine. */
function relativeTo(source: ContractFiles): ContractFiles {
  const folder = source.entry.includes('/') ? source.entry.slice(0, source.entry.lastIndexOf('/') + 1) : '';
  const local = (name: string): string => (folder && name.startsWith(folder) ? name.slice(folder.length) : name);
  const entry = local(source.entry).replace(/^.*[?&]wsdl.*$/i, 'service.wsdl');
  return {
    entry,
    files: Object.fromEntries(
      Object.entries(source.files).map(([name, text]) => [name === source.entry ? entry : local(name), text]),
    ),
  };
}

/** A flow document from a file, its contracts read in when they are relative paths. */
export async function readFlowFile(
  file: string,
  onRead?: (path: string) => void,
): Promise<{ document?: FlowDocument; findings: readonly Finding[] }> {
  const text = await readText(file, '.', onRead);
  const read = readDocument(text, file);
  if (!read.document) return { findings: read.findings };
  const document = read.document;
  const folder = dirname(file);
  for (const [name, backend] of Object.entries(document.backends ?? {})) {
    const contract = backend.contract;
    if (!contract || contract.files?.[contract.entry] !== undefined) continue;
    const entry = isUrl(contract.entry) ? contract.entry : resolve(folder, contract.entry);
    try {
      const load = (location: string): Promise<string> => readText(location, '.', onRead);
      const source = relativeTo(await collectContract(entry, contract.files ?? {}, load));
      contract.entry = source.entry;
      contract.files = { ...source.files };
    } catch (error) {
      if (!(error instanceof HingeError)) throw error;
      return {
        findings: [{ ...error.finding, place: { ...error.finding.place, pointer: `/backends/${name}/contract` } }],
      };
    }
  }
  places.set(document, placesIn(text));
  return { document, findings: [] };
}

const places = new WeakMap<FlowDocument, (pointer: string) => Place>();

/** A finding of a document with the file that it was read from, and line and column of the key that it is about. */
export function placed(f: Finding, document: FlowDocument, file: string): Finding {
  const { pointer } = f.place;
  return { ...f, place: { file, ...(pointer !== undefined && places.get(document)?.(pointer)), ...f.place } };
}
