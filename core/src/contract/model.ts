import type { Finding, Place } from '../problem';
import type { JsonSchema, TypeTable } from '../schema';
import type { GraphqlOperation } from './graphql/model';
import type { HttpOperation, SecurityScheme } from './openapi/model';
import type { SoapOperation } from './wsdl/model';

/** Whatever the document was written in, this is what it says: operations with typed messages. */
export interface Contract {
  readonly format: 'wsdl' | 'openapi' | 'graphql';
  readonly name: string;
  readonly version?: string;
  readonly documentation?: string;
  readonly addresses: readonly string[];
  readonly operations: readonly ContractOperation[];
  readonly types: TypeTable;
  /** How callers may prove themselves (OpenAPI). */
  readonly security?: readonly SecurityScheme[];
  /** Where types stand in the documents, by name. */
  readonly typePlaces?: Readonly<Record<string, Place>>;
  /** What was noticed while reading; none of these is an error, those are thrown. */
  readonly findings: readonly Finding[];
}

export interface ContractOperation {
  /** Unique in the contract; a WSDL operation's name or an operationId, unchanged. */
  readonly id: string;
  readonly name: string;
  readonly documentation?: string;
  readonly tags?: readonly string[];
  readonly request: MessageShape;
  readonly reply?: MessageShape;
  readonly faults: readonly FaultShape[];
  /** Set when the operation cannot be called; the words say why. */
  readonly unusable?: string;
  readonly place?: Place;
  readonly soap?: SoapOperation;
  readonly http?: HttpOperation;
  readonly graphql?: GraphqlOperation;
}

export interface MessageShape {
  /** Schema of the body as JSON. */
  readonly body: JsonSchema;
  readonly headers: readonly HeaderShape[];
  readonly mediaType: string;
}

export interface HeaderShape {
  readonly name: string;
  readonly schema: JsonSchema;
  readonly required: boolean;
  readonly documentation?: string;
}

export interface FaultShape {
  readonly name: string;
  readonly schema: JsonSchema;
  readonly documentation?: string;
}

/** The documents of a contract as they were brought in: the entry and what it imports, by path relative to it. */
export interface ContractFiles {
  readonly entry: string;
  readonly files: Readonly<Record<string, string>>;
}
