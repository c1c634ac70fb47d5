import {
  compileApi,
  type CallersConfig,
  type CompiledApi,
  type CompiledOperation,
  type FlowDocument,
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
  /** Share of requests whose messages are kept, 0 to 1. */
  readonly traceShare?: number;
  readonly apis: readonly ApiConfig[];
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
  const documents = new Map(config.apis.map((api) => [api.slug, api.document]));
  return config.apis.map((api) => ({ config: api, compiled: compileApi(api.document, (name) => documents.get(name)) }));
}
