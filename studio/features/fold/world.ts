import { topicParameters, type GuardDocument, type FlowDocument, type TypeTable } from '@hinge/core';

/** What a flow can call: backends with their operations, operations of this API, and those of others. */
export interface FoldWorld {
  /** Guards of the workspace. */
  readonly guards: readonly GuardDocument[];
  readonly backends: Readonly<Record<string, readonly CallableOperation[]>>;
  readonly inner: readonly string[];
  readonly apis: Readonly<Record<string, readonly string[]>>;
  readonly types: readonly string[];
  /** Names of their parameters by the names of topics. */
  readonly topics: Readonly<Record<string, readonly string[]>>;
  /** The types themselves. */
  readonly table: TypeTable;
}

export interface CallableOperation {
  readonly id: string;
  readonly words?: string;
  readonly faults: readonly string[];
  readonly unusable?: string;
  /** SOAP calls and unsafe methods are not repeated by themselves. */
  readonly safe: boolean;
  /** Media types of the bodies that it takes, where there are several. */
  readonly bodies?: readonly string[];
}

export const NO_WORLD: FoldWorld = { guards: [], backends: {}, inner: [], apis: {}, types: [], topics: {}, table: {} };

export function worldWith(world: FoldWorld, document: FlowDocument): FoldWorld {
  return {
    ...world,
    inner: Object.keys(document.operations),
    types: Object.keys(document.types ?? {}),
    topics: Object.fromEntries(
      Object.entries(document.topics ?? {}).map(([name, t]) => [name, topicParameters(name, t)]),
    ),
    table: document.types ?? {},
  };
}
