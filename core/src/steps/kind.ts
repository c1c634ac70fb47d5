import type { Credentials } from '../credentials';
import type { Contract } from '../contract';
import type { BackendDocument, FlowDocument, OperationDocument, StepDocument } from '../flow/document';
import type { Places } from '../flow/places';
import type { CompiledStep, Run } from '../flow/run';
import type { NamesInReach } from '../flow/set-names';
import type { ContractOperation } from '../contract';
import type { Finding, Place } from '../problem';
import type { JsonSchema, TypeTable } from '../schema';

/** What is known while a step is compiled or checked. */
export interface StepContext {
  readonly document: FlowDocument;
  readonly operationId: string;
  readonly operation: OperationDocument;
  /** Pointer of the step in the flow, and in the document. */
  readonly at: string;
  readonly place: Place;
  readonly types: TypeTable;
  backend(name: string): BackendContext | undefined;
  /** An operation inside the gateway as a contract: of this document, or of another API by name. Undefined where nobody knows it. */
  inner(operation: string, api: string | undefined): InnerOperation | undefined;
  /** True when the other APIs of the gateway are known. */
  readonly knowsApis: boolean;
  /** Names that steps have set when this one runs. */
  inReach(): NamesInReach;
  /** Compiles the steps inside a step; `pointer` goes from the step to its flow. */
  series(flow: readonly StepDocument[], pointer: string): readonly CompiledStep[];
  /** Checks the steps inside a step, and says what message comes out of them. */
  checkSeries(
    flow: readonly StepDocument[],
    pointer: string,
    before: MessageType,
    report: (f: Finding) => void,
  ): MessageType;
}

export interface InnerOperation {
  readonly operation: ContractOperation;
  readonly types: TypeTable;
}

/** A flow inside a step: a line of a choose, the steps that an attempt tries. */
export interface StepPart {
  /** From the step to the flow, RFC 6901. */
  readonly pointer: string;
  readonly name: string;
  readonly flow: readonly StepDocument[];
}

export interface BackendContext {
  readonly name: string;
  readonly document: BackendDocument;
  readonly contract?: Contract;
  /** What it knows the gateway by. */
  readonly credentials?: Credentials;
  /** Address for an environment; '' where there is none. */
  addressFor(environment: string | undefined): string;
  /** Where callers of this API find what the backend has at a path below its address. */
  readonly places?: Places;
}

/** What the checker knows about the message at a point of the flow. */
export interface MessageType {
  readonly body?: JsonSchema;
  /** Types that `body` refers to: the document's, or a backend contract's. */
  readonly types: TypeTable;
  readonly words: string;
  readonly isReply: boolean;
  /** A reply step ended the flow: nothing behind it runs. */
  readonly ended?: boolean;
}

/** What is known behind several lines of which one was taken. Lines that ended do not come this far. */
export function mergeTypes(ends: readonly MessageType[], words: string): MessageType {
  const open = ends.filter((e) => !e.ended);
  const first = open[0];
  if (!first) return { types: {}, words, isReply: true, ended: true };
  if (open.every((e) => e.body === first.body && e.words === first.words)) return first;
  return { types: {}, words, isReply: open.every((e) => e.isReply) };
}

/** One kind of step. Adding one is adding a folder with these four things and a line in registry.ts. */
export interface StepKind<D extends StepDocument = StepDocument> {
  readonly kind: D['kind'];
  /** One line for menus and documentation. */
  readonly words: string;
  /** Throws nothing for what `check` reports; a mistake it cannot live with becomes a step that refuses. */
  compile(step: D, context: StepContext): CompiledStep['run'];
  check(step: D, context: StepContext, before: MessageType, report: (f: Finding) => void): MessageType;
  /** The flows inside the step, where its kind has any. */
  parts?(step: D): readonly StepPart[];
  /** What stands under the pin on the track. */
  label(step: D): string;
}

export type { Run };
