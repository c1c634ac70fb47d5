import type { HeaderShape } from '../model';
import type { JsonSchema } from '../../schema';

/** What an operation of an OpenAPI document looks like on the wire. */
export interface HttpOperation {
  /** In capitals. */
  readonly method: string;
  /** Template below the server's address, e.g. /berths/{id}. */
  readonly path: string;
  readonly parameters: readonly HttpParameter[];
  readonly request?: HttpBody;
  /** By status: '200', '2XX', 'default'. */
  readonly replies: readonly HttpReply[];
  readonly links: readonly HttpLink[];
  /** Names of security schemes, any of which will do; empty: none is asked for. */
  readonly security: readonly string[];
  /** Callers may also come without any (§4.8.30: an empty requirement). */
  readonly openToAll?: boolean;
}

/** A Security Scheme object (§4.8.27), as far as a gateway can meet it. */
export type SecurityScheme = { readonly name: string; readonly documentation?: string } & (
  | { readonly kind: 'basic' | 'bearer' }
  | { readonly kind: 'key'; readonly in: 'header' | 'query' | 'cookie'; readonly parameter: string }
  | { readonly kind: 'client'; readonly tokenUrl: string; readonly scopes: readonly string[] }
  | { readonly kind: 'other'; readonly words: string }
);

export type ParameterPlace = 'path' | 'query' | 'header' | 'cookie';
/** OpenAPI 3.1 §4.8.12.2. */
export type ParameterStyle = 'simple' | 'label' | 'matrix' | 'form' | 'spaceDelimited' | 'pipeDelimited' | 'deepObject';

export interface HttpParameter {
  readonly name: string;
  readonly in: ParameterPlace;
  readonly required: boolean;
  readonly schema: JsonSchema;
  readonly style: ParameterStyle;
  readonly explode: boolean;
  /** Its value is written as a message of this type; style and explode mean nothing then (§4.8.12.3, content). */
  readonly mediaType?: string;
  readonly documentation?: string;
  readonly example?: unknown;
}

export interface HttpBody {
  readonly required: boolean;
  readonly media: readonly HttpMedia[];
  readonly documentation?: string;
}

export interface HttpMedia {
  readonly mediaType: string;
  readonly schema: JsonSchema;
  readonly example?: unknown;
  /** Content types of parts by name, of a form of parts. */
  readonly encoding?: Readonly<Record<string, string>>;
  /** How lists and objects of a form stand in it, by name, where that is told (3.1 §4.8.15.1). */
  readonly styles?: FormStyles;
}

export type FormStyles = Readonly<Record<string, { readonly style: ParameterStyle; readonly explode: boolean }>>;

export interface HttpReply {
  readonly status: string;
  readonly documentation?: string;
  readonly media: readonly HttpMedia[];
  /** Fields that it may carry (§4.8.21), besides those that are of the message itself. */
  readonly headers?: readonly HeaderShape[];
}

/** A Link object (§4.8.20): a value of this reply is an argument of another operation. */
export interface HttpLink {
  readonly name: string;
  readonly operationId?: string;
  /** Parameter of the other operation by runtime expression, e.g. $response.body#/vesselId. */
  readonly parameters: Readonly<Record<string, unknown>>;
}
