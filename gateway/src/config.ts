import {
  compileApi,
  withWorkspace,
  type CallersConfig,
  type CompiledApi,
  type CompiledOperation,
  type FlowDocument,
  type GuardDocument,
} from '@hinge/core';

/** One released document as a gateway runs it. */
export interface ApiConfig {
  readonly slug: string;
  /** Number of the release; absent when a file is served without a studio. */
  readonly release?: number;
  readonly hash?: string;
  readonly document: FlowDocument;
}

/** Everything a gateway runs, under one revision. Kept on disk as it came. */
export interface GatewayConfig {
  readonly revision: string;
  readonly environment?: string;
  /** Variables of the environment, read as env.NAME. */
  readonly variables?: Readonly<Record<string, unknown>>;
  /** Secrets of the environment, for credentials towards backends. Never in traces, metrics or answers. */
  readonly secrets?: Readonly<Record<string, string>>;
  /** Share of requests whose messages are kept, 0 to 1. */
  readonly traceShare?: number;
  readonly apis: readonly ApiConfig[];
  /** Guards of the workspace: they act at every API that has none of the kind. */
  readonly guards?: readonly GuardDocument[];
  /** Apps and their subscriptions; changed apart from the rest, and kept on disk with it. */
  readonly callers?: CallersConfig;
}

export interface LoadedApi {
  readonly config: ApiConfig;
  readonly compiled: CompiledApi;
}

export interface Route {
  readonly api: LoadedApi;
  readonly door: string;
  readonly base: string;
  readonly operation: CompiledOperation;
}

export function loadApis(config: GatewayConfig): LoadedApi[] {
  const documents = new Map(config.apis.map((api) => [api.slug, withWorkspace(api.document, config.guards)]));
  return config.apis.map((api) => {
    const document = documents.get(api.slug)!;
    return { config: { ...api, document }, compiled: compileApi(document, (name) => documents.get(name)) };
  });
}

/** One of its doors takes tokens that this gateway gives. */
export const asksForTokens = (d: FlowDocument): boolean =>
  [
    d,
    ...d.doors,
    ...Object.values(d.operations),
    ...Object.values(d.topics ?? {}).map((t) => t.door ?? {}),
    ...Object.values(d.graph?.fields ?? {}),
  ].some((o) => o.guards?.some((g) => g.kind === 'token' && !g.off));
