import { bodiesOf } from '@hinge/core';
import { getDraft, listApis } from '../apis/server';
import { workspaceGuards } from '../guards/server';
import { contractOf, listBackends } from '../backends/server';
import type { CallableOperation, FoldWorld } from './world';

const SAFE = ['GET', 'HEAD', 'PUT', 'DELETE', 'OPTIONS'];

/** Everything that a flow may call: operations of all backends that the studio knows, and of the other APIs. */
export async function foldWorld(slug: string): Promise<FoldWorld> {
  const backends: Record<string, CallableOperation[]> = {};
  for (const row of await listBackends()) {
    const contract = contractOf(row);
    backends[row.name] = (contract?.operations ?? []).map((o) => ({
      id: o.id,
      ...(o.documentation !== undefined && { words: o.documentation }),
      faults: o.faults.map((f) => f.name),
      ...(o.unusable !== undefined && { unusable: o.unusable }),
      safe: o.http !== undefined && SAFE.includes(o.http.method),
      ...severalBodies(bodiesOf(o.http?.request?.media ?? [], contract?.types ?? {}).map((m) => m.mediaType)),
    }));
  }
  const apis: Record<string, string[]> = {};
  for (const api of await listApis()) {
    if (api.slug === slug) continue;
    const draft = await getDraft(api.slug);
    apis[api.slug] = Object.keys(draft?.document.operations ?? {});
  }
  return { guards: await workspaceGuards(), backends, inner: [], apis, types: [], topics: {}, table: {} };
}

const severalBodies = (bodies: readonly string[]) => (bodies.length > 1 ? { bodies } : {});
