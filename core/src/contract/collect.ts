import { LIMITS } from '../limits';
import { HingeError, type Place } from '../problem';
import { readXmlTree } from '../xml';
import { resolveLocation } from './locations';
import type { ContractFiles } from './model';
import { externalReferences, parseTree } from './openapi';
import { contractKindOf } from './read';
import { referencesIn } from './wsdl';

/** Fetches one document as text; rejects when it is not there. The gateway and the command read disks and URLs, the studio URLs. */
export type Fetcher = (location: string) => Promise<string>;

/**
 * Gathers a contract from its entry: every imported document that is not among `given` is asked of `fetch`. Documents
 * keep their locations relative to the entry where they can, so that the set can be moved.
 */
export async function collectContract(
  entry: string,
  given: Readonly<Record<string, string>>,
  fetch: Fetcher | undefined,
): Promise<ContractFiles> {
  const files: Record<string, string> = { ...given };
  const tried = new Set<string>();
  const queue = [entry];
  let total = 0;
  while (queue.length) {
    const path = queue.shift()!;
    if (tried.has(path)) continue;
    tried.add(path);
    if (tried.size > LIMITS.contractDocuments)
      throw new HingeError('HNG-103', `the contract has more than ${LIMITS.contractDocuments} documents`, {
        file: entry,
      });
    if (files[path] === undefined) files[path] = await load(path, fetch, entry);
    total += files[path].length;
    if (total > LIMITS.contractBytes)
      throw new HingeError('HNG-103', `the contract is larger than ${LIMITS.contractBytes} bytes`, {
        file: path,
        line: 1,
      });
    for (const { location, place } of referencesOf(files[path], path)) {
      const target = resolveLocation(path, location);
      const last = target.split('/').pop();
      const beside = Object.keys(files).filter((f) => f.split('/').pop() === last);
      if (files[target] === undefined && beside.length === 1) {
        queue.push(beside[0]!);
        continue;
      }
      if (files[target] === undefined && !fetch) {
        throw new HingeError('HNG-112', `${location} is imported and was not given`, place, {
          remedy: `Add ${location}, or give the contract by URL so that it can be fetched.`,
        });
      }
      try {
        files[target] ??= await load(target, fetch, path);
      } catch (cause) {
        const why = cause instanceof HingeError ? cause.finding.message : String(cause);
        throw new HingeError('HNG-112', `${location} is imported and cannot be read: ${why}`, place, {
          remedy: `Add ${location} beside ${path.split('/').pop()}, or give the contract by URL so that it can be fetched.`,
          cause,
        });
      }
      queue.push(target);
    }
  }
  return { entry, files };
}

/** What a document imports or refers to, XML and OpenAPI alike. */
function referencesOf(text: string, path: string): { location: string; place: Place }[] {
  if (contractKindOf(text) === 'wsdl')
    return referencesIn(readXmlTree(text, path)).map(({ location, from }) => ({
      location,
      place: { file: from.file, line: from.line, column: from.column },
    }));
  if (contractKindOf(text) === 'graphql') return [];
  return externalReferences(parseTree(text, path).value).map((location) => ({ location, place: { file: path } }));
}

async function load(path: string, fetch: Fetcher | undefined, from: string): Promise<string> {
  if (!fetch) throw new HingeError('HNG-112', `${path} was not given`, { file: from });
  try {
    return await fetch(path);
  } catch (cause) {
    if (cause instanceof HingeError) throw cause;
    throw new HingeError('HNG-120', `${path} cannot be read: ${(cause as Error).message}`, { file: path }, { cause });
  }
}
