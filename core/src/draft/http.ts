import {
  bodiesOf,
  preferredMedia,
  type Contract,
  type ContractFiles,
  type ContractOperation,
  type HttpMedia,
  type HttpReply,
} from '../contract';
import {
  FORMAT_VERSION,
  type BodyDocument,
  type CaseDocument,
  type FlowDocument,
  type OperationDocument,
  type ParameterDocument,
} from '../flow/document';
import { parameterForm, writeSimple } from '../codec/parameters';
import { requestSchema } from '../flow/request-schema';
import { essence, isJson, isMultipart, isXml } from '../message/headers';
import { escapePointer, sampleOf, typesOf, type JsonSchema, type TypeTable } from '../schema';
import type { PlannedField, PlannedOperation } from './plan';
import { copyTypes, slug, type DraftOptions } from './common';
import { jsonataName } from '../expression';
import { kebab, words } from './names';

/** A plan that keeps what an OpenAPI contract says: its methods, paths, parameters and statuses. */
export function planHttp(contract: Contract): PlannedOperation[] {
  return contract.operations.map((op): PlannedOperation => {
    const http = op.http!;
    const usable = !op.unusable && http.method !== 'TRACE';
    const fields: PlannedField[] = http.parameters.map((p) => ({
      target: `/${p.in === 'header' ? 'headers' : p.in === 'cookie' ? 'cookies' : p.in}/${p.name}`,
      name: p.name,
      place: p.in,
      required: p.required,
      words: typesOf(p.schema)[0] ?? 'anything',
      description: p.documentation,
      simple: true,
    }));
    if (http.request)
      fields.push({
        target: '/body',
        name: 'body',
        place: 'body',
        required: http.request.required,
        words:
          bodiesOf(http.request.media, contract.types)
            .map((m) => m.mediaType)
            .join(', ') || 'body',
        description: http.request.documentation,
        simple: false,
      });
    return {
      operation: op.id,
      include: usable,
      id: op.id,
      method: (usable ? http.method : 'GET') as PlannedOperation['method'],
      path: http.path,
      status: statusOf(http.replies),
      summary: op.documentation ?? '',
      fields,
      ...(op.unusable && { note: `cannot be called: ${op.unusable}` }),
    };
  });
}

function successOf(replies: readonly HttpReply[]): HttpReply | undefined {
  return (
    replies.find((r) => /^2\d\d$/.test(r.status)) ??
    replies.find((r) => /^2/.test(r.status)) ??
    replies.find((r) => r.status === 'default')
  );
}

function statusOf(replies: readonly HttpReply[]): number {
  const status = successOf(replies)?.status;
  return status !== undefined && /^\d+$/.test(status) ? Number(status) : 200;
}

/** A whole, runnable document from an OpenAPI contract: every operation kept, map → call → map, a case for each. */
export function draftHttp(
  contract: Contract,
  source: ContractFiles,
  plan: readonly PlannedOperation[] = planHttp(contract),
  options: DraftOptions = {},
): FlowDocument {
  const name = options.name ?? contract.name;
  const backend = options.backend ?? slug(contract.name);
  const address = options.address ?? contract.addresses[0];
  const types: TypeTable = {};
  const operations: Record<string, OperationDocument> = {};
  const cases: CaseDocument[] = [];
  const byId = new Map(contract.operations.map((o) => [o.id, o]));
  for (const row of plan) {
    const op = byId.get(row.operation);
    if (!row.include || !op?.http || op.unusable) continue;
    operations[row.id] = operationOf(row, op, contract, backend, types);
  }
  // All types are there now.
  for (const row of plan) {
    const op = byId.get(row.operation);
    const operation = operations[row.id];
    if (op?.http && operation) cases.push(caseOf(row, op, operation, types));
  }
  return {
    hinge: FORMAT_VERSION,
    api: {
      name,
      version: contract.version ?? '1.0.0',
      ...(contract.documentation && { description: contract.documentation }),
    },
    doors: [{ name: 'public', path: options.base ?? `/${kebab(words(name)) || 'api'}` }],
    guards: [{ kind: 'schema' }],
    backends: {
      [backend]: {
        contract: {
          kind: 'openapi',
          entry: source.entry,
          ...(!options.withoutFiles && { files: { ...source.files } }),
        },
        ...(address && { address }),
      },
    },
    ...(Object.keys(types).length && { types }),
    operations,
    cases,
  };
}

function operationOf(
  row: PlannedOperation,
  op: ContractOperation,
  contract: Contract,
  backend: string,
  types: TypeTable,
): OperationDocument {
  const http = op.http!;
  const copy = (schema: Parameters<typeof copyTypes>[0]) => copyTypes(schema, contract.types, types);
  const parameters = row.fields
    .filter((f) => f.place !== 'body')
    .map((f): ParameterDocument => {
      const p = http.parameters.find((x) => f.target.endsWith(`/${x.name}`) && f.target.startsWith(targetOf(x.in)))!;
      const same = f.place === p.in;
      const usual = p.style === (p.in === 'query' || p.in === 'cookie' ? 'form' : 'simple');
      return {
        name: f.name,
        in: f.place as ParameterDocument['in'],
        ...(f.description && { description: f.description }),
        ...((f.required || f.place === 'path') && { required: true }),
        schema: p.example === undefined ? copy(p.schema) : { ...copy(p.schema), examples: [p.example] },
        // In another place it stands as is usual there.
        ...(same && !usual && { style: p.style }),
        ...(same && p.explode !== (p.style === 'form') && { explode: p.explode }),
        ...(p.mediaType !== undefined && { mediaType: p.mediaType }),
      };
    });
  const [media, ...otherBodies] = bodiesOf(http.request?.media ?? [], contract.types);
  const body = row.fields.some((f) => f.place === 'body');
  const reply = successOf(http.replies);
  const replyMedia = preferredMedia(reply?.media ?? []);
  const several = http.replies.filter((r) => /^2/.test(r.status)).length > 1 || !/^\d+$/.test(reply?.status ?? '200');
  const headersOf = ({ headers = [] }: HttpReply): Pick<ReplyDocument, 'headers'> =>
    headers.length
      ? {
          headers: Object.fromEntries(
            headers.map((h) => [
              h.name,
              {
                ...(h.documentation && { description: h.documentation }),
                ...(h.required && { required: true }),
                schema: copy(h.schema),
              },
            ]),
          ),
        }
      : {};
  const others = Object.fromEntries(
    http.replies
      .filter((r) => r !== reply)
      .map((r) => {
        const m = preferredMedia(r.media);
        return [
          r.status,
          {
            ...(m && { mediaType: outer(m.mediaType), schema: copy(m.schema) }),
            ...(r.documentation && { description: r.documentation }),
            ...headersOf(r),
          },
        ];
      }),
  );
  const good = http.replies.filter((r) => r === reply || /^2/.test(r.status));
  const fieldsKept = new Set(good.flatMap((r) => r.headers ?? []).map((h) => h.name.toLowerCase()));
  if (row.status === 201) fieldsKept.add('location');
  const structured = replyMedia && isText(replyMedia.mediaType);
  return {
    method: row.method,
    path: row.path,
    ...(row.summary && { summary: row.summary }),
    ...(op.tags?.length && { tags: [...op.tags] }),
    ...(parameters.length && { parameters }),
    ...(body &&
      media && {
        request: {
          ...(http.request!.required && { required: true }),
          ...bodyDocument(media, outer(media.mediaType), copy),
          ...(otherBodies.length && {
            others: otherBodies.map((m) => ({
              ...bodyDocument(m, m.mediaType, copy),
              mediaType: m.mediaType,
            })),
          }),
        },
      }),
    reply: {
      status: row.status,
      ...(reply?.documentation && { description: reply.documentation }),
      ...(replyMedia && { mediaType: outer(replyMedia.mediaType), schema: copy(replyMedia.schema) }),
      ...(reply && headersOf(reply)),
    },
    ...(Object.keys(others).length && { otherReplies: others }),
    flow: [
      {
        kind: 'map',
        to: { backend, operation: op.id },
        fields: row.fields
          .filter((f) => f.place !== 'body' || (media && (otherBodies.length || isText(media.mediaType))))
          .map((f) => ({ to: f.target, from: sourceOf(f) })),
      },
      { kind: 'call', backend, operation: op.id },
      ...(structured || !replyMedia
        ? [
            {
              kind: 'map' as const,
              to: 'reply' as const,
              fields: [
                ...(replyMedia ? [{ to: '/body', from: 'body' }] : []),
                ...(several ? [{ to: '/status', from: 'status' }] : []),
                ...[...fieldsKept].map((n) => ({
                  to: `/headers/${escapePointer(n)}`,
                  from: `headers.${jsonataName(n)}`,
                })),
              ],
            },
          ]
        : []),
    ],
  };
}

const isText = (mediaType: string): boolean => /json|xml|urlencoded|csv|text\/plain/i.test(mediaType);

function bodyDocument(media: HttpMedia, mediaType: string, copy: (s: JsonSchema) => JsonSchema): BodyDocument {
  return {
    mediaType,
    schema: copy(media.schema),
    ...(media.encoding && { encoding: { ...media.encoding } }),
    // Callers send JSON for a form; one that goes on as they sent it says how it stands.
    ...(media.styles && !isJson(mediaType) && { styles: { ...media.styles } }),
  };
}

const EXAMPLES: Readonly<Record<string, string>> = {
  '*/*': 'application/octet-stream',
  'image/*': 'image/png',
  'text/*': 'text/plain',
};

type ReplyDocument = NonNullable<OperationDocument['reply']>;

/** What callers see: XML of a backend becomes JSON, which the door turns into XML again for whoever asks for it. */
const outer = (mediaType: string): string => (/[/+]xml\b|urlencoded/i.test(mediaType) ? 'application/json' : mediaType);

const targetOf = (place: string): string =>
  `/${place === 'header' ? 'headers' : place === 'cookie' ? 'cookies' : place}/`;

function sourceOf(f: PlannedField): string {
  if (f.place === 'body') return 'body';
  const root = f.place === 'header' ? 'headers' : f.place === 'cookie' ? 'cookies' : f.place;
  return `${root}.${jsonataName(f.name)}`;
}

function caseOf(
  row: PlannedOperation,
  op: ContractOperation,
  operation: OperationDocument,
  types: TypeTable,
): CaseDocument {
  const request: CaseDocument['request'] = {};
  for (const p of operation.parameters ?? []) {
    if (!p.required) continue;
    const sample = sampleOf(p.schema, types, { name: p.name }) ?? p.name;
    const form = parameterForm(p, types);
    // One text as a message of its own is not that text.
    const value = p.mediaType && typeof sample !== 'object' ? form.content!.write(sample).text : sample;
    if (p.in === 'path') (request.path ??= {})[p.name] = value;
    else if (p.in === 'query') (request.query ??= {})[p.name] = value;
    else if (p.in === 'header') (request.headers ??= {})[p.name] = writeSimple(form, sample);
    else (request.cookies ??= {})[p.name] = value;
  }
  const media = preferredMedia(op.http!.request?.media ?? []);
  const body = requestSchema({ ...operation, request: { ...operation.request, others: undefined } }, types);
  const example = isMultipart(media?.mediaType) ? undefined : media?.example;
  if (body) request.body = example ?? sampleOf(body, types, { without: 'readOnly' });
  // Bytes and texts go in their own type; anything else a case sends as JSON.
  const own = operation.request?.mediaType;
  if (typeof request.body === 'string' && own !== undefined && !isJson(own) && !isXml(own))
    request.headers = {
      ...request.headers,
      'content-type': EXAMPLES[essence(own)] ?? own.replace('*', 'octet-stream'),
    };
  return {
    name: 'sample',
    operation: row.id,
    request,
    note: 'Made from the contract; change the values to ones that the backend knows.',
  };
}
