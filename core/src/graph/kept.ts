import type { GraphQLSchema } from 'graphql';
import type { FlowDocument } from '../flow/document';
import { sha256 } from '../guards/key/guard';
import { finding, type Finding } from '../problem';
import { readGraphRequest, type GraphLimits, type GraphRequest } from './execute';

export type ReadQuery = ReturnType<typeof readGraphRequest>;

/**
 * Queries that stand in the document: callers name one by `documentId` (GraphQL over HTTP, appendix on persisted documents; from memory), by its
 * name or by `sha256:` and the SHA-256 of its text. Read and checked once. Where only these may be asked, another text is refused.
 */
export class KeptQueries {
  private readonly texts: ReadonlyMap<string, string>;
  private readonly known: ReadonlySet<string>;
  private readonly read = new Map<string, ReadQuery>();
  private hashes: Promise<ReadonlyMap<string, string>> | undefined;

  constructor(
    private readonly schema: GraphQLSchema,
    private readonly limits: GraphLimits,
    graph: FlowDocument['graph'],
  ) {
    this.texts = new Map(Object.entries(graph?.queries ?? {}));
    this.known = new Set([...this.texts.values()].map(plain));
    this.only = graph?.onlyQueries === true;
  }

  /** No other query may be asked. */
  readonly only: boolean;

  /** The text under an id; undefined where there is none. */
  async textOf(id: string): Promise<string | undefined> {
    const own = this.texts.get(id);
    if (own !== undefined || !id.startsWith('sha256:')) return own;
    this.hashes ??= Promise.all([...this.texts.values()].map(async (t) => [await sha256(t), t] as const)).then(
      (all) => new Map(all),
    );
    return (await this.hashes).get(id.slice('sha256:'.length).toLowerCase());
  }

  allows(query: string): boolean {
    return !this.only || this.known.has(plain(query));
  }

  /** What a request may execute; a query that is kept is not read again. */
  readRequest(request: GraphRequest): ReadQuery {
    // Without the space around it: callers could fill the memory with it.
    const query = plain(request.query);
    if (!this.known.has(query)) return readGraphRequest(this.schema, request, this.limits);
    const key = JSON.stringify([request.operationName ?? null, query]);
    let found = this.read.get(key);
    if (!found) {
      found = readGraphRequest(this.schema, request, this.limits);
      // Callers choose the operation's name, also one that is not there.
      if (!('errors' in found)) this.read.set(key, found);
    }
    return found;
  }
}

const plain = (text: string): string => text.trim();

/** Queries that stand in the document and cannot be asked. */
export function checkQueries(
  document: FlowDocument,
  schema: GraphQLSchema,
  limits: GraphLimits,
  report: (f: Finding) => void,
): void {
  const queries = Object.entries(document.graph?.queries ?? {});
  if (document.graph?.onlyQueries && !queries.length)
    report(
      finding(
        'HNG-333',
        'only kept queries may be asked, and there are none',
        { pointer: '/graph/onlyQueries' },
        'Keep a query.',
      ),
    );
  for (const [name, query] of queries) {
    const read = readGraphRequest(schema, { query }, limits);
    const wrong = 'errors' in read ? read.errors[0] : undefined;
    // Of several operations callers name one.
    if (wrong && !/several operations/.test(wrong.message))
      report(finding('HNG-333', `the query ${name}: ${wrong.message}`, { pointer: `/graph/queries/${name}` }));
  }
}
