import { readContract, type Contract } from '../contract';
import { HingeError, type Finding } from '../problem';
import type { BackendContext } from '../steps/kind';
import type { BackendDocument, FlowDocument } from './document';

/** Contracts are read once for each text, however many documents and revisions carry it. */
const cache = new Map<string, Contract>();
const CACHE_ENTRIES = 64;

function readCached(c: NonNullable<BackendDocument['contract']>): Contract {
  const key = JSON.stringify([c.entry, c.port, c.files]);
  const hit = cache.get(key);
  if (hit) {
    cache.delete(key);
    cache.set(key, hit);
    return hit;
  }
  const contract = readContract({ entry: c.entry, files: c.files ?? {} }, { port: c.port });
  cache.set(key, contract);
  if (cache.size > CACHE_ENTRIES) cache.delete(cache.keys().next().value!);
  return contract;
}

export interface BackendSet {
  readonly contexts: ReadonlyMap<string, BackendContext>;
  /** Contracts that could not be read: the error's own finding, by backend. */
  readonly failures: ReadonlyMap<string, Finding>;
}

/** Reads the contracts of all backends of a document. Inline files only: relative paths are loaded by whoever reads the file. */
export function openBackends(document: FlowDocument): BackendSet {
  const contexts = new Map<string, BackendContext>();
  const failures = new Map<string, Finding>();
  for (const [name, backend] of Object.entries(document.backends ?? {})) {
    let contract: Contract | undefined;
    if (backend.contract) {
      try {
        contract = readCached(backend.contract);
      } catch (error) {
        if (!(error instanceof HingeError)) throw error;
        failures.set(name, error.finding);
      }
    }
    const addressFor = (environment: string | undefined): string =>
      (environment !== undefined ? backend.addresses?.[environment] : undefined) ?? backend.address ?? '';
    contexts.set(name, { name, document: backend, contract, addressFor });
  }
  return { contexts, failures };
}
