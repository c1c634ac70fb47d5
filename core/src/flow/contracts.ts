import { compileCredentials } from '../credentials';
import { readContractOnce, type Contract } from '../contract';
import { HingeError, type Finding } from '../problem';
import type { BackendContext } from '../steps/kind';
import type { FlowDocument } from './document';
import { compilePlaces, type Places } from './places';

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
        const { entry, files, port } = backend.contract;
        contract = readContractOnce({ entry, port, files: files ?? {} });
      } catch (error) {
        if (!(error instanceof HingeError)) throw error;
        failures.set(name, error.finding);
      }
    }
    const addressFor = (environment: string | undefined): string =>
      (environment !== undefined ? backend.addresses?.[environment] : undefined) ?? backend.address ?? '';
    const credentials = compileCredentials(backend.credentials, name);
    let found: Places | undefined;
    const places: Places = (below) => (found ??= compilePlaces(document, { name, contract }))(below);
    contexts.set(name, { name, document: backend, contract, credentials, addressFor, places });
  }
  return { contexts, failures };
}
