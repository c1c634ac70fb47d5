import { finding, type Finding } from '../problem';
import { pathShape } from './check';
import type { FlowDocument } from './document';

/** What a gateway does with doors of several documents under one path: findings by the number of the document. The first keeps a path that two claim. */
export function clashesOf(documents: readonly FlowDocument[]): Map<number, Finding[]> {
  const out = new Map<number, Finding[]>();
  const seen = new Map<string, { name: string; n: number }>();
  documents.forEach((document, n) => {
    document.doors.forEach((door, d) => {
      for (const [id, o] of Object.entries(document.operations)) {
        if (o.internal || door.answers === 'graphql') continue;
        for (const host of door.hosts?.length ? door.hosts : ['*']) {
          const key = `${host} ${pathShape(o.method, `${door.path.replace(/\/+$/, '')}${o.path}`)}`;
          const first = seen.get(key);
          if (!first) seen.set(key, { name: document.api.name, n });
          else if (first.n !== n)
            out.set(n, [
              ...(out.get(n) ?? []),
              finding(
                'HNG-305',
                `${id} of ${document.api.name} and ${first.name} both answer ${key.slice(host.length + 1)}; ${first.name} keeps it`,
                {
                  pointer: `/doors/${d}/path`,
                },
              ),
            ]);
        }
      }
    });
  });
  return out;
}

/** One way in, as a gateway tries it. */
export interface Precedence {
  readonly operation: string;
  readonly method: string;
  readonly path: string;
  /** Why it comes where it does. */
  readonly words: string;
}

/**
 * Operations in the order in which a gateway tries them: doors with host names before those without, then segment by segment fixed text before
 * parameters, parameters before what takes the rest; a method of its own before any.
 */
export function precedenceOf(document: FlowDocument): Precedence[] {
  const rank = (path: string): string =>
    path
      .split('/')
      .slice(1)
      .map((s) => (s === '*' ? '3' : s.includes('{') ? (s.startsWith('{') && s.endsWith('}') ? '2' : '1') : '0'))
      .join('');
  return Object.entries(document.operations)
    .filter(([, o]) => !o.internal)
    .map(([id, o]) => ({ id, o, rank: `${rank(o.path)}${o.method === 'ANY' ? '~' : ''}` }))
    .sort((a, b) => (a.rank < b.rank ? -1 : a.rank > b.rank ? 1 : b.o.path.length - a.o.path.length))
    .map(({ id, o }) => ({
      operation: id,
      method: o.method,
      path: o.path,
      words: o.path.endsWith('*') ? 'takes the rest' : o.path.includes('{') ? 'by parameters' : 'fixed',
    }));
}
