import { GraphQLError, getArgumentValues, getVariableValues, Kind, type FieldNode } from 'graphql';
import { writeJson } from '../codec/json';
import { refBy } from '../events/publishing';
import { shapeContext, shaperOf } from '../events/shape';
import { BrokerFailure, type Delivery, type Listener } from '../events/ports';
import type { FlowDocument, OperationDocument } from '../flow/document';
import type { Run } from '../flow/run';
import { fieldGuards, type FieldGuard } from '../guards/compile';
import { isJson } from '../message/headers';
import { Refusal } from '../problem';
import type { BackendContext } from '../steps/kind';
import { Calls } from './calls';
import { beyondCost, executeGraph, graphLimits, type GraphRequest, type GraphResult, type ReadQuery } from './execute';
import { compileFieldChecks, resultOf, type FieldChecks } from './field-checks';
import { followAt } from './follow';
import { graphOf } from './graph';
import { KeptQueries } from './kept';
import { passOnTo } from './pass-on';

/** Refused before anything was called. */
export interface Refused {
  readonly errors: readonly GraphQLError[];
}

/** What comes for a subscription: results, one for each event. */
export interface GraphSubscription {
  readonly listener: Listener;
  /** Undefined: this event is none of the subscriber's. */
  result(d: Delivery): Promise<GraphResult | undefined>;
}

/** Answers requests of one graph, whatever way they came in by. */
export class GraphService {
  private readonly schema;
  private readonly limits;
  private readonly topicGuards: ReadonlyMap<string, FieldGuard>;
  private readonly shapers;
  private readonly passOn: ReturnType<typeof passOnTo> | undefined;
  private readonly follow: ReturnType<typeof followAt> | undefined;
  private readonly fieldChecks: FieldChecks | undefined;
  readonly kept: KeptQueries;

  constructor(
    private readonly document: FlowDocument,
    private readonly guards: ReadonlyMap<string, FieldGuard>,
    door: string,
    /** The backend that answers, where it is not this graph's operations. */
    behind?: BackendContext,
  ) {
    this.schema = graphOf(document).schema;
    this.limits = graphLimits(document);
    this.kept = new KeptQueries(this.schema, this.limits, document.graph);
    const topics = Object.entries(document.topics ?? {});
    this.shapers = new Map(topics.map(([name, t]) => [name, shaperOf(t)]));
    // Whoever subscribes listens: the topic's own guards let it in, or do not.
    const listening = topics.map(([name, t]): [string, OperationDocument] => [
      name,
      { method: 'GET', path: '/', guards: t.door?.guards, flow: [] },
    ]);
    this.passOn = behind && passOnTo(behind);
    this.follow = behind && followAt(behind, document.graph?.subscriptions);
    this.topicGuards = fieldGuards(document, door, Object.fromEntries(listening), 'topic');
    this.fieldChecks = compileFieldChecks(document, this.schema, door);
  }

  read(request: GraphRequest): ReadQuery | Refused {
    const read = this.kept.allows(request.query) ? this.kept.readRequest(request) : NOT_KEPT;
    if ('errors' in read) return read;
    const tooDear = beyondCost(read, request, this.limits);
    return tooDear ? { errors: [tooDear] } : read;
  }

  async answer(run: Run, read: ReadQuery, request: GraphRequest): Promise<GraphResult> {
    const denied = await this.fieldChecks?.(run, read);
    if (denied) return resultOf(run, denied);
    if (this.passOn && !asksSchemaAlone(read)) return this.passOn(run, request);
    const context = new Calls(run, this.document, this.guards, read.kind === 'query');
    const result = await executeGraph(read, request, context);
    run.notes = {
      ...run.notes,
      calls: context.count,
      saved: context.saved,
      ...(run.observer && { made: context.made }),
    };
    return result;
  }

  /** Listens to the topic of the field (specification of October 2021, §6.2.3). Throws Refusal. */
  async subscribe(run: Run, read: ReadQuery, request: GraphRequest, after?: string): Promise<GraphSubscription> {
    const denied = await this.fieldChecks?.(run, read);
    if (denied) throw denied.refusal;
    if (this.follow) return this.follow(run, request);
    const node = read.operation.selectionSet.selections[0] as FieldNode;
    const field = this.schema.getSubscriptionType()!.getFields()[node.name.value];
    const topic = field?.extensions.topic as string | undefined;
    if (!field || topic === undefined)
      throw new Refusal('HNG-403', {
        detail: 'A subscription asks for a topic by a field of its own, without a fragment.',
      });
    await this.topicGuards.get(topic)?.(run);
    const given = getVariableValues(this.schema, read.operation.variableDefinitions ?? [], request.variables ?? {});
    if (given.errors) throw new Refusal('HNG-403', { detail: given.errors[0]!.message });
    const args = getArgumentValues(field, node, given.coerced);
    const values = (field.extensions.parameters as readonly (readonly [string, string])[]).map(([arg, p]) => [
      p,
      args[arg],
    ]);
    const ref = refBy(this.document, topic, run, Object.fromEntries(values), true);
    const { topics } = run.ports;
    const none = (inner: string, cause?: unknown) =>
      new Refusal('HNG-510', {
        detail: `${topic} cannot be listened to now.`,
        inner,
        headers: { 'retry-after': '2' },
        cause,
      });
    if (!topics) throw none('this engine has no topics');
    let listener: Listener;
    try {
      listener = await topics.listen(ref, { after: (args.after as string | undefined) ?? after });
    } catch (error) {
      if (!(error instanceof BrokerFailure)) throw error;
      throw none(`${ref.broker?.address ?? 'inside'} ${ref.address}: ${error.message}`, error);
    }
    const shape = this.shapers.get(topic)!(shapeContext(run));
    run.notes = { topic, address: ref.address, as: 'subscription' };
    return {
      listener,
      result: async (d) => {
        const shaped = await shape(d);
        if (!shaped) return undefined;
        if ('gap' in shaped)
          return { errors: [new GraphQLError(shaped.gap, { extensions: { code: 'gap' } }).toJSON()] };
        const { data } = shaped.event;
        const value: unknown = isJson(data.mediaType) ? data.value() : data.text();
        // A run of its own that nobody watches: what one event looked up is asked for anew for the next, and the stream may be long.
        const own = run.apart();
        try {
          const context = new Calls(own, this.document, this.guards, true);
          return await executeGraph(read, request, context, { [field.name]: value });
        } finally {
          for (const end of own.endings) end();
        }
      },
    };
  }
}

const asksSchemaAlone = ({ operation }: ReadQuery): boolean =>
  operation.selectionSet.selections.every((s) => s.kind === Kind.FIELD && s.name.value.startsWith('__'));

const NOT_KEPT: Refused = {
  errors: [new GraphQLError('Only queries that are kept here are answered; name one by documentId.')],
};

/** A result as it is sent: data first (§7.1). */
export const resultText = (result: GraphResult): string =>
  writeJson({ ...('data' in result && { data: result.data }), ...(result.errors && { errors: result.errors }) });
