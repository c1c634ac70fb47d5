/** JSON Schema 2020-12 as far as we write it, with OpenAPI's `xml` object. The common tongue of all contracts in core. */
export interface JsonSchema {
  $ref?: string;
  type?: JsonType | JsonType[];
  title?: string;
  description?: string;
  properties?: Record<string, JsonSchema>;
  required?: string[];
  additionalProperties?: boolean | JsonSchema;
  items?: JsonSchema;
  prefixItems?: JsonSchema[];
  minItems?: number;
  maxItems?: number;
  uniqueItems?: boolean;
  enum?: unknown[];
  const?: unknown;
  format?: string;
  pattern?: string;
  minLength?: number;
  maxLength?: number;
  minimum?: number;
  maximum?: number;
  exclusiveMinimum?: number;
  exclusiveMaximum?: number;
  multipleOf?: number;
  minProperties?: number;
  maxProperties?: number;
  anyOf?: JsonSchema[];
  oneOf?: JsonSchema[];
  allOf?: JsonSchema[];
  not?: JsonSchema;
  default?: unknown;
  examples?: unknown[];
  contentEncoding?: string;
  contentMediaType?: string;
  deprecated?: boolean;
  readOnly?: boolean;
  writeOnly?: boolean;
  discriminator?: { propertyName: string; mapping?: Record<string, string> };
  xml?: { name?: string; namespace?: string; prefix?: string; attribute?: boolean; wrapped?: boolean };
  $defs?: Record<string, JsonSchema>;
  patternProperties?: Record<string, JsonSchema>;
  propertyNames?: JsonSchema;
  dependentRequired?: Record<string, string[]>;
  dependentSchemas?: Record<string, JsonSchema>;
  unevaluatedProperties?: boolean | JsonSchema;
  unevaluatedItems?: boolean | JsonSchema;
  contains?: JsonSchema;
  minContains?: number;
  maxContains?: number;
  if?: JsonSchema;
  then?: JsonSchema;
  else?: JsonSchema;
}

export type JsonType = 'null' | 'boolean' | 'object' | 'array' | 'number' | 'string' | 'integer';

/** Named schemas; references into them are written `#/types/NAME`. */
export type TypeTable = Record<string, JsonSchema>;

const PREFIX = '#/types/';

export const refTo = (name: string): JsonSchema => ({ $ref: PREFIX + escapePointer(name) });

export function escapePointer(part: string): string {
  return part.replace(/~/g, '~0').replace(/\//g, '~1');
}

export function unescapePointer(part: string): string {
  return part.replace(/~1/g, '/').replace(/~0/g, '~');
}

export function pointerParts(pointer: string): string[] {
  return pointer === '' ? [] : pointer.slice(1).split('/').map(unescapePointer);
}

export function refName(schema: JsonSchema): string | undefined {
  return schema.$ref?.startsWith(PREFIX) ? unescapePointer(schema.$ref.slice(PREFIX.length)) : undefined;
}

/** Follows references; a reference that leads nowhere or in a circle ends in the empty schema, which allows everything. */
export function resolveSchema(schema: JsonSchema, types: TypeTable): JsonSchema {
  let at = schema;
  for (let hops = 0; hops < 32; hops++) {
    const name = refName(at);
    if (name === undefined) return at;
    const next = types[name];
    if (!next) return {};
    at = next;
  }
  return {};
}

export function typesOf(schema: JsonSchema): readonly JsonType[] {
  if (schema.type === undefined) return [];
  return Array.isArray(schema.type) ? schema.type : [schema.type];
}
