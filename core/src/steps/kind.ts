import type { Contract } from '../contract';
import type { BackendDocument, FlowDocument, OperationDocument, StepDocument } from '../flow/document';
import type { CompiledStep, Run } from '../flow/run';
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
}

export interface BackendContext {
  readonly name: string;
  readonly document: BackendDocument;
  readonly contract?: Contract;
  /** Address for an environment; '' where there is none. */
  addressFor(environment: string | undefined): string;
}

/** What the checker knows about the message at a point of the flow. */
export interface MessageType {
  readonly body?: JsonSchema;
  /** Types that `body` refers to: the document's, or a backend contract's. */
  readonly types: TypeTable;
  readonly words: string;
  readonly isReply: boolean;
}

/** One kind of step. Adding one is adding a folder with these four things and a line in registry.ts. */
export interface StepKind<D extends StepDocument = StepDocument> {
  readonly kind: D['kind'];
  /** One line for menus and documentation. */
  readonly words: string;
  /** Throws nothing for what `check` reports; a mistake it cannot live with becomes a step that refuses. */
  compile(step: D, context: StepContext): CompiledStep['run'];
  check(step: D, context: StepContext, before: MessageType, report: (f: Finding) => void): MessageType;
  /** What stands under the pin on the track. */
  label(step: D): string;
}

export type { Run };
