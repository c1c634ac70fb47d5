import type { GraphQLSchema } from 'graphql';
import type { FlowDocument } from '../flow/document';
import { sha256 } from '../guards/key/guard';
import { finding, type Finding } from '../problem';
import type { CostRules } from './cost';
import { readGraphRequest, type GraphLimits, type GraphRequest } from './execute';
import { Recent } from '../recent';

export type QueryRead = ReturnType<typeof readGraphRequest>;

/**
 * Queries that stand in the document: callers name one by `documentId` (GraphQL over HTTP, appendix on persisted documents; from memory), by its
 * name or by `sha256:` and the SHA-256 of its text. Read and checked once, as are those that came of late. Where only kept ones may be asked, another text is refused.
 */
export class KeptQueries {
  private readonly texts: ReadonlyMap<string, string>;
  private readonly known: ReadonlySet<string>;
  private readonly read = new Map<string, QueryRead>();
  private readonly recent = new Recent<QueryRead>(RECENT_QUERIES, RECENT_CHARACTERS);
  private hashes: Promise<ReadonlyMap<string, string>> | undefined;

  constructor(
    private readonly schema: GraphQLSchema,
    private readonly limits: GraphLimits,
    private readonly graph: FlowDocument['graph'],
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
  readRequest(request: GraphRequest): QueryRead {
    // Without the space around it: callers could fill the memory with it.
    const query = plain(request.query);
    const key = JSON.stringify([request.operationName ?? null, query]);
    const found = this.read.get(key) ?? this.recent.get(key);
    if (found) return found;
    const made = readGraphRequest(this.schema, request, this.limits, costRules(this.graph));
    // Callers choose the operation's name, also one that is not there.
    if ('errors' in made) return made;
    if (this.known.has(query)) this.read.set(key, made);
    else this.recent.set(key, made, key.length);
    return made;
  }
}

/** What the calls of a graph cost. */
export const costRules = (graph: FlowDocument['graph']): Pick<CostRules, 'costs' | 'objects'> => ({
  costs: graph?.costs ?? {},
  objects: graph?.backend !== undefined,
});

/** Queries of callers that are not read anew when they come again. */
const RECENT_QUERIES = 500;
const RECENT_CHARACTERS = 1_000_000;

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
