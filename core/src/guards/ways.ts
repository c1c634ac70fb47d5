import { channelPath } from '../events/topic';
import type { FlowDocument, GuardDocument, OperationDocument } from '../flow/document';
import { effectiveGuards, withWorkspace, type GuardOrigin } from './kind';
import { GUARD_ORDER, guardKind } from './registry';

/** A guard that acts on a way in, and the scope that it is set for. */
export interface ActingGuard {
  readonly guard: GuardDocument;
  readonly origin: GuardOrigin | 'topic' | 'field';
}

/** A way in to an API: an operation at a door, a topic, a graph; a field or an operation of a graph that asks for more than its door. */
export interface WayIn {
  readonly door: string;
  readonly method: string;
  /** With the path of the door. */
  readonly path: string;
  readonly name: string;
  readonly kind: 'operation' | 'topic' | 'graph' | 'field';
  /** In the order in which they act. Those of a field act besides those of its graph. */
  readonly guards: readonly ActingGuard[];
  /** No guard asks who calls. */
  readonly open: boolean;
}

/** Somebody is asked who calls: by a guard that finds it out, or by a signature that only who shares a secret can make. */
const asks = (guards: readonly ActingGuard[]): boolean =>
  guards.some(({ guard }) => guardKind(guard.kind).knows ?? guard.kind === 'signature');

/** All ways in with the guards that act there, in the order of the doors; those of plans act besides. `workspace`: guards of the workspace. */
export function waysIn(given: FlowDocument, workspace: readonly GuardDocument[] = []): WayIn[] {
  const document = withWorkspace(given, workspace);
  return document.doors.flatMap((door): WayIn[] => {
    const base = door.path.replace(/\/$/, '');
    const way = (
      name: string,
      { method, path, guards }: Pick<OperationDocument, 'method' | 'path' | 'guards'>,
      kind: WayIn['kind'],
    ): WayIn => {
      const acting = effectiveGuards(document, door, { method, path, guards, flow: [] }, GUARD_ORDER).map(
        (g): ActingGuard => (kind === 'topic' && g.origin === 'operation' ? { ...g, origin: 'topic' } : g),
      );
      return { door: door.name, method, path: `${base}${path}`, name, kind, guards: acting, open: !asks(acting) };
    };
    const operations = Object.entries(document.operations).filter(([, o]) => !o.internal);
    if (door.answers === 'graphql') {
      const graph = way('graph', { method: 'POST', path: '' }, 'graph');
      const within = (name: string, guards: readonly GuardDocument[] | undefined, origin: ActingGuard['origin']) => {
        // A schema is held against the message of an operation; a field or a topic of a graph has none.
        const acts = (g: GuardDocument) => !g.off && (origin === 'operation' || g.kind !== 'schema');
        const own = GUARD_ORDER.flatMap((k) => (guards ?? []).filter((g) => g.kind === k && acts(g))).map(
          (guard): ActingGuard => ({ guard, origin }),
        );
        return own.length
          ? [{ ...graph, name, kind: 'field' as const, guards: own, open: graph.open && !asks(own) }]
          : [];
      };
      return [
        graph,
        ...(document.graph?.backend === undefined ? operations : []).flatMap(([id, o]) =>
          within(id, o.guards, 'operation'),
        ),
        ...Object.entries(document.topics ?? {}).flatMap(([name, t]) => within(name, t.door?.guards, 'topic')),
        ...Object.entries(document.graph?.fields ?? {}).flatMap(([name, f]) => within(name, f.guards, 'field')),
      ];
    }
    return [
      ...(door.answers === 'events' ? topicWays(document, door) : []).map((w) => way(w.name, w, 'topic')),
      ...operations.map(([id, o]) => way(id, o, 'operation')),
    ];
  });
}

type TopicWay = Pick<OperationDocument, 'method' | 'path' | 'guards'> & { readonly name: string };

/** Topics as callers see them at a door: nothing is compiled, so that a document with mistakes is told of as well. */
function topicWays(document: FlowDocument, door: FlowDocument['doors'][number]): TopicWay[] {
  const topics = Object.entries(document.topics ?? {}).flatMap(([topic, t]): TopicWay[] => {
    const { publish, listen, guards, callback } = t.door ?? {};
    const path = channelPath(topic, t);
    return [
      ...(publish === false ? [] : [{ name: `publish ${topic}`, method: 'POST' as const, path, guards }]),
      ...(listen === false ? [] : [{ name: `listen ${topic}`, method: 'GET' as const, path, guards }]),
      ...(callback
        ? [
            { name: `callback ${topic}`, method: 'POST' as const, path: callback.path, guards: callback.guards },
            { name: `challenge ${topic}`, method: 'GET' as const, path: callback.path },
          ]
        : []),
    ];
  });
  return door.webhooks ? [...topics, { name: 'hub', method: 'POST', path: '/hub' }] : topics;
}
