import { z } from 'zod';
import type { JsonSchema } from '../schema';
import { credentialsSchema } from '../credentials/schema';
import { consumersSchema, pollsSchema } from '../events/background';
import { brokerSchema, callbackBase, channelBase, topicBase, webhooksSchema } from '../events/topic';
import { graphSchema } from '../graph/document';
import { GuardSchema } from '../guards/schemas';
import { conditionSchema } from '../steps/condition';
import { nestedFlow, useStepSchema } from '../steps/nested';
import { STEP_SCHEMAS } from '../steps/schemas';
import { describeMembers } from './member-words';
import { slug } from './slug';

/** The flow document, format version 1: everything an API is, in one file. Published as docs/flow.schema.json. */

export const FORMAT_VERSION = 1;

const name = z.string().min(1).max(200);
const basePath = z
  .string()
  .regex(/^\/[A-Za-z0-9._~!$&'()*+,;=:@%/-]*$/, 'must start with / and hold only characters of a URL path');

const jsonSchema: z.ZodType<JsonSchema> = z
  .looseObject({})
  .describe('JSON Schema 2020-12; #/types/NAME refers to the types of this document') as z.ZodType<JsonSchema>;

export const StepSchema = z.discriminatedUnion('kind', STEP_SCHEMAS);
useStepSchema(StepSchema);
export type StepDocument = z.infer<typeof StepSchema>;

export { GuardSchema };
export type GuardDocument = z.infer<typeof GuardSchema>;

const contract = z
  .strictObject({
    kind: z.enum(['wsdl', 'openapi', 'graphql']),
    entry: z.string().min(1).describe('The first document: a name in files, or a path relative to this document'),
    port: z.string().optional().describe('Name of the wsdl:port, where there are several'),
    files: z
      .record(z.string(), z.string())
      .optional()
      .describe('The documents themselves, by the name that imports use'),
  })
  .describe('The contract of a backend, inline or by relative path');

const backend = z.strictObject({
  description: z.string().optional(),
  contract: contract.optional(),
  address: z.string().optional().describe('Where the backend is, for every environment that has no address of its own'),
  addresses: z.record(slug, z.string()).optional().describe('Address by environment'),
  credentials: credentialsSchema.optional(),
  timeoutMs: z
    .int()
    .min(1)
    .max(600_000)
    .optional()
    .describe('Time limit of one call in milliseconds; 10000 when absent'),
  reply: z
    .enum(['strict', 'lenient'])
    .optional()
    .describe('strict (default): an answer that breaks the contract is a 502; lenient: what is unknown is left out'),
});
export type BackendDocument = z.infer<typeof backend>;

const style = z.enum(['simple', 'label', 'matrix', 'form', 'spaceDelimited', 'pipeDelimited', 'deepObject']);

const parameter = z.strictObject({
  name,
  in: z.enum(['path', 'query', 'header', 'cookie']),
  description: z.string().optional(),
  required: z.boolean().optional(),
  schema: jsonSchema,
  style: style
    .optional()
    .describe(
      'How lists and objects are written (OpenAPI); simple for path and header, form for query and cookie when absent',
    ),
  explode: z.boolean().optional().describe('A name for each item or member; true for form when absent'),
  mediaType: name
    .optional()
    .describe(
      'The value is written as a message of this type, e.g. application/json; style and explode say nothing then',
    ),
});
export type ParameterDocument = z.infer<typeof parameter>;

const replyHeaders = z
  .record(
    name,
    z.strictObject({ description: z.string().optional(), required: z.boolean().optional(), schema: jsonSchema }),
  )
  .optional()
  .describe('Header fields that the reply may carry, for whoever reads the contract; what carries them is the flow');

const encoding = z
  .record(z.string(), name)
  .optional()
  .describe('Of multipart/form-data: content types of parts by their names');
const styles = z
  .record(z.string(), z.strictObject({ style, explode: z.boolean() }))
  .optional()
  .describe('Of forms: how lists and objects stand in them, by their names; each item under the name when absent');

const requestExample = z.strictObject({ summary: z.string().optional(), value: z.unknown() });
const replyExample = z.strictObject({
  summary: z.string().optional(),
  when: conditionSchema.optional().describe('A mock answers with this example when the condition holds'),
  status: z.int().min(200).max(599).optional().describe('Status it is given with; the one of the reply when absent'),
  headers: z.record(z.string(), z.string()).optional(),
  value: z.unknown().describe('JSON value; text for media types that are not JSON'),
});
export type ReplyExample = z.infer<typeof replyExample>;

export const operationSchema = z.strictObject({
  method: z
    .enum(['GET', 'HEAD', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'ANY'])
    .describe('ANY answers every method (plain proxy)'),
  path: basePath
    .or(z.string().regex(/^\/[^\s?#]*$/, 'must start with / and hold neither ? nor #'))
    .describe('Template below the base path, e.g. /berths/{id}; a last segment of * takes the rest'),
  soap: z
    .strictObject({ backend: slug, operation: name })
    .optional()
    .describe('Callers see this as that SOAP operation of that backend: envelopes by POST, its WSDL at ?wsdl'),
  internal: z.boolean().optional().describe('true: no door leads here; other flows call it'),
  summary: z.string().optional(),
  description: z.string().optional(),
  tags: z.array(name).optional(),
  parameters: z.array(parameter).optional(),
  request: z
    .strictObject({
      mediaType: name.optional(),
      required: z.boolean().optional(),
      description: z.string().optional(),
      schema: jsonSchema.optional(),
      encoding,
      styles,
      examples: z.record(z.string(), requestExample).optional(),
      others: z
        .array(z.strictObject({ mediaType: name, schema: jsonSchema.optional(), encoding, styles }))
        .max(20)
        .optional()
        .describe('Bodies that hold something else, which callers may send instead, each in its own media type'),
    })
    .optional(),
  reply: z
    .strictObject({
      status: z.int().min(200).max(599).optional(),
      mediaType: name.optional(),
      description: z.string().optional(),
      schema: jsonSchema.optional(),
      headers: replyHeaders,
      examples: z.record(z.string(), replyExample).optional(),
    })
    .optional(),
  otherReplies: z
    .record(
      z.string().regex(/^([1-5](\d\d|XX)|default)$/, 'must be a status, a class like 4XX, or default'),
      z.strictObject({
        mediaType: name.optional(),
        description: z.string().optional(),
        schema: jsonSchema.optional(),
        headers: replyHeaders,
      }),
    )
    .optional()
    .describe('Replies besides the usual one that callers may get, by status'),
  guards: z.array(GuardSchema).optional(),
  flow: z.array(StepSchema) as unknown as typeof nestedFlow,
});
export type OperationDocument = z.infer<typeof operationSchema>;
/** One of the bodies that an operation takes. */
export type BodyDocument = Omit<
  NonNullable<NonNullable<OperationDocument['request']>['others']>[number],
  'mediaType'
> & { readonly mediaType?: string };

const sampleRequest = z.strictObject({
  path: z.record(z.string(), z.unknown()).optional(),
  query: z.record(z.string(), z.unknown()).optional(),
  headers: z.record(z.string(), z.string()).optional(),
  cookies: z.record(z.string(), z.unknown()).optional(),
  body: z.unknown().optional(),
});
export type SampleRequest = z.infer<typeof sampleRequest>;

const caseDocument = z.strictObject({
  name,
  operation: slug,
  note: z.string().optional(),
  request: sampleRequest,
  door: slug.optional().describe('The door it comes in by; the first when absent'),
  app: z
    .strictObject({
      id: z.string(),
      name: z.string().optional(),
      plan: z.string().optional(),
      values: z.record(z.string(), z.unknown()).optional(),
    })
    .optional()
    .describe('Who calls: read as app.name, plan.name, plan.values.NAME'),
  stubs: z
    .array(
      z.strictObject({
        backend: slug,
        operation: z.string().optional().describe('Every operation of the backend when absent'),
        when: z
          .strictObject({ path: z.string().optional(), contains: z.string().optional() })
          .optional()
          .describe('Only requests whose path with query is this, whose body contains this'),
        status: z.int().min(100).max(599).optional(),
        headers: z.record(z.string(), z.string()).optional(),
        body: z.unknown().optional().describe('JSON value, written as the contract demands; or the text of the answer'),
        fault: z
          .strictObject({ name: z.string().optional(), reason: z.string().optional(), detail: z.unknown().optional() })
          .optional()
          .describe('A declared fault of a SOAP operation'),
        failure: z.enum(['unreachable', 'timeout', 'unreadable']).optional(),
        delayMs: z.int().min(0).max(60_000).optional(),
        times: z.int().min(1).optional().describe('Answers so many calls, then the next stub does'),
      }),
    )
    .max(200)
    .optional()
    .describe('Answers in place of backends; what no stub answers is really sent'),
  expect: z
    .strictObject({
      status: z.int().optional(),
      headers: z.record(z.string(), z.string()).optional(),
      body: z.unknown().optional().describe('The whole body'),
      parts: z
        .array(
          z.strictObject({
            at: z.string().describe('RFC 6901 pointer into the body'),
            is: z.unknown().optional(),
            matches: z.string().optional(),
            exists: z.boolean().optional(),
          }),
        )
        .optional()
        .describe('Chosen parts of the body'),
      ignore: z
        .array(z.string())
        .optional()
        .describe('Pointers that may differ from body; * stands for any item or name'),
      steps: z
        .array(z.strictObject({ at: z.string(), taken: z.boolean() }))
        .optional()
        .describe('Steps that must have run, or must not'),
    })
    .optional(),
});
export type CaseDocument = z.infer<typeof caseDocument>;

export const FlowDocumentSchema = z.strictObject({
  $schema: z
    .string()
    .max(2000)
    .optional()
    .describe('Where editors find the schema of this format; nothing reads it here'),
  hinge: z.literal(FORMAT_VERSION).describe('Version of this format'),
  api: z.strictObject({
    name,
    version: name,
    description: z.string().optional(),
    tags: z.array(name).optional(),
    visibility: z
      .union([z.enum(['everyone', 'signedIn']), z.strictObject({ groups: z.array(name).min(1) })])
      .optional()
      .describe('Who sees the documentation; everyone when absent'),
  }),
  limits: z
    .strictObject({
      expressionMs: z
        .int()
        .min(1)
        .max(10_000)
        .optional()
        .describe('Milliseconds that the expressions of one request may take together; 100 when absent'),
      expressionBytes: z
        .int()
        .min(1024)
        .max(1024 * 1024 * 1024)
        .optional()
        .describe('Bytes that they may make together; 16777216 (16 MiB) when absent'),
    })
    .optional()
    .describe('How much the expressions of one request may take; while they run, nobody else is served'),
  doors: z
    .array(
      z.strictObject({
        name: slug,
        path: basePath,
        hosts: z.array(name).optional(),
        answers: z
          .enum(['json', 'xml', 'graphql', 'events'])
          .optional()
          .describe(
            'What this door always answers; graphql: one graph over all operations at its base path; events: a path for each topic. When absent, what the caller asks for by Accept, else JSON',
          ),
        before: nestedFlow.optional().describe('Steps before the flow, for requests by this door'),
        after: nestedFlow.optional().describe('Steps behind the flow, for replies by this door'),
        guards: z.array(GuardSchema).optional(),
        webhooks: webhooksSchema.optional(),
      }),
    )
    .max(100)
    .describe('None: only other flows call this API'),
  guards: z.array(GuardSchema).optional(),
  apps: z
    .record(
      slug,
      z.strictObject({
        name: name.optional(),
        plan: slug.optional(),
        keys: z
          .array(z.string().regex(/^[0-9A-Fa-f]{64}$/, 'must be a SHA-256 in hexadecimal digits'))
          .max(20)
          .describe('SHA-256 of each live key; several while one takes the place of another'),
        secrets: z
          .array(z.string().regex(/^[0-9A-Fa-f]{64}$/, 'must be a SHA-256 in hexadecimal digits'))
          .max(20)
          .optional()
          .describe(
            'SHA-256 of each live client secret, for tokens from /oauth/token; the id of the app is the client id',
          ),
      }),
    )
    .optional()
    .describe('Apps that may come in by a key'),
  plans: z
    .record(
      slug,
      z.strictObject({
        name: name.optional(),
        guards: z.array(GuardSchema).optional(),
        approval: z.boolean().optional().describe('Somebody has to approve each subscription'),
        scopes: z
          .array(z.string().min(1).max(100))
          .max(50)
          .optional()
          .describe('What tokens of its apps may be asked for'),
        values: z.record(z.string(), z.unknown()).optional().describe('Read in flows as plan.values.NAME'),
      }),
    )
    .optional(),
  backends: z.record(slug, backend).optional(),
  types: z.record(z.string(), jsonSchema).optional(),
  operations: z.record(slug, operationSchema),
  graph: graphSchema.optional(),
  brokers: z.record(slug, brokerSchema).optional(),
  topics: z
    .record(
      slug,
      z.strictObject({
        ...topicBase,
        door: z
          .strictObject({
            ...channelBase,
            guards: z.array(GuardSchema).optional(),
            callback: z
              .strictObject({ ...callbackBase, guards: z.array(GuardSchema).min(1) })
              .optional()
              .describe('Others call back: what they send is an event, once the guards (a signature) let it in'),
          })
          .optional()
          .describe('How doors that answer events show it'),
      }),
    )
    .optional()
    .describe('Channels for events'),
  consumers: consumersSchema.optional(),
  polls: pollsSchema.optional(),
  cases: z.array(caseDocument).optional(),
  text: z
    .strictObject({ format: z.enum(['yaml', 'json']), source: z.string().max(5_000_000) })
    .optional()
    .describe('The OpenAPI text that a person wrote for this API, with its comments and whatever only the text says'),
});
export type FlowDocument = z.infer<typeof FlowDocumentSchema>;

/** JSON Schema of the document, as published: each member with words, and with examples out of these documents. */
export function documentJsonSchema(documents: readonly unknown[] = []): unknown {
  const schema = z.toJSONSchema(FlowDocumentSchema, { unrepresentable: 'any' });
  describeMembers(schema, documents);
  return { $id: 'flow.schema.json', title: 'Up Hinge flow document, format 1', ...schema };
}
