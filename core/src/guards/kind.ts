import type { FlowDocument, GuardDocument, OperationDocument } from '../flow/document';
import type { Run } from '../flow/run';
import type { SecretPlaces } from '../message/secrets';
import type { InputFault } from '../problem';

export interface GuardContext {
  readonly document: FlowDocument;
  readonly operationId: string;
  readonly operation: OperationDocument;
  /** Where the guard is set, in words: what counts, counts for all of it. */
  readonly scope?: string;
  /** Name of the door; undefined for calls inside the gateway. */
  readonly door?: string;
}

/** What a guard sees: the run, and the parameters that did not fit their schemas. */
export interface Visit {
  readonly run: Run;
  readonly parameterFaults: readonly InputFault[];
}

export type CompiledGuard = (visit: Visit) => void | Promise<void>;

/** One kind of guard. Adding one is adding a folder with its schema and this, and a line in registry.ts. */
export interface GuardKind<D extends GuardDocument = GuardDocument> {
  readonly kind: D['kind'];
  readonly words: string;
  /** Finds out who calls: not asked where that is known before, as in a rehearsal that says whose request it plays. */
  readonly knows?: true;
  /** Refuses by throwing a Refusal. Returns null when there is nothing to do for this operation. */
  compile(guard: D, context: GuardContext): CompiledGuard | null;
  /** Where callers send their secret to this guard: masked wherever a request is shown. */
  secrets?(guard: D): SecretPlaces;
  /** How OpenAPI says what it asks for: a Security Scheme Object (OpenAPI 3.1 §4.8.27). */
  scheme?(guard: D): Readonly<Record<string, string>>;
}

/** Where an effective guard comes from. */
export type GuardOrigin = 'workspace' | 'api' | 'door' | 'operation' | 'plan';

export interface EffectiveGuard {
  readonly guard: GuardDocument;
  readonly origin: GuardOrigin;
}

/** Guards that came to a document from the workspace. */
const OF_WORKSPACE = new WeakSet<GuardDocument>();

/** The document with the guards of the workspace among those of the API; one of the API takes the place of one of the same kind. */
export function withWorkspace(document: FlowDocument, guards: readonly GuardDocument[] = []): FlowDocument {
  const more = guards.filter((g) => !document.guards?.some((own) => own.kind === g.kind)).map((g) => ({ ...g }));
  for (const g of more) OF_WORKSPACE.add(g);
  return more.length ? { ...document, guards: [...more, ...(document.guards ?? [])] } : document;
}

/**
 * The guards in force: those of the workspace, the API, the door and the operation. The nearest one of a kind wins, also when it is
 * switched off; order is the order of kinds in GUARD_SCHEMAS.
 */
export function effectiveGuards(
  document: FlowDocument,
  door: FlowDocument['doors'][number] | undefined,
  operation: OperationDocument,
  order: readonly string[],
): EffectiveGuard[] {
  const byKind = new Map<string, EffectiveGuard>();
  const add = (guards: readonly GuardDocument[] | undefined, origin: GuardOrigin) => {
    for (const guard of guards ?? [])
      byKind.set(guard.kind, { guard, origin: OF_WORKSPACE.has(guard) ? 'workspace' : origin });
  };
  add(document.guards, 'api');
  add(door?.guards, 'door');
  add(operation.guards, 'operation');
  return order.map((kind) => byKind.get(kind)).filter((g): g is EffectiveGuard => g !== undefined && !g.guard.off);
}
