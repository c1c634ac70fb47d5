import { NOTHING, type Contract, type ContractFiles, type ContractOperation } from '../contract';
import {
  FORMAT_VERSION,
  type CaseDocument,
  type FlowDocument,
  type OperationDocument,
  type ParameterDocument,
  type StepDocument,
} from '../flow/document';
import { pointerParts, resolveSchema, sampleOf, schemaAt, typesOf, type JsonSchema, type TypeTable } from '../schema';
import { copyTypes, slug, type DraftOptions } from './common';
import { jsonataName } from '../expression';
import { kebab, words } from './names';
import { planRest, type PlannedField, type PlannedOperation } from './plan';

/** What a GraphQL backend says by null. */
const NOT_FOUND = { status: 404, title: 'There is none' };

/** A whole, runnable document from a contract: one door, operations with map → call → map, a case for each. */
export function draftRest(
  contract: Contract,
  source: ContractFiles,
  plan: readonly PlannedOperation[] = planRest(contract),
  options: DraftOptions = {},
): FlowDocument {
  const title =
    options.name ??
    words(contract.name)
      .filter((w) => w !== 'service')
      .map((w) => w.charAt(0).toUpperCase() + w.slice(1))
      .join(' ') ??
    contract.name;
  const backend = options.backend ?? slug(contract.name);
  const address = options.address ?? contract.addresses[0];
  const operations: Record<string, OperationDocument> = {};
  const cases: CaseDocument[] = [];
  const types: TypeTable = {};
  for (const row of plan) {
    const op = contract.operations.find((o) => o.id === row.operation);
    if (!row.include || !op || op.unusable) continue;
    operations[row.id] = operationOf(row, op, contract, backend, types);
    cases.push(caseOf(row, operations[row.id]!, types));
  }
  return {
    hinge: FORMAT_VERSION,
    api: {
      name: title || contract.name,
      version: '1.0.0',
      ...(contract.documentation && { description: contract.documentation }),
    },
    doors: [{ name: 'public', path: options.base ?? `/${kebab(words(title || contract.name)) || 'api'}/v1` }],
    guards: [{ kind: 'schema' }],
    backends: {
      [backend]: {
        contract: {
          kind: contract.format,
          entry: source.entry,
          ...(options.port && { port: options.port }),
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
  const parameters = row.fields.filter((f) => f.place !== 'body').map((f) => parameterOf(f, op, contract, types));
  const bodyFields = row.fields.filter((f) => f.place === 'body');
  const request = bodyFields.length ? requestOf(bodyFields, op, contract, types) : undefined;
  const replySchema = op.reply && row.status !== 204 ? copyTypes(op.reply.body, contract.types, types) : undefined;
  const flow: StepDocument[] = [
    {
      kind: 'map',
      to: { backend, operation: op.id },
      fields: row.fields.map((f) => ({ to: f.target, from: sourceOf(f) })),
    },
    {
      kind: 'call',
      backend,
      operation: op.id,
      ...(op.graphql && op.faults.some((f) => f.name === NOTHING) && { faults: { [NOTHING]: NOT_FOUND } }),
    },
  ];
  flow.push({ kind: 'map', to: 'reply', ...(replySchema && { fields: replyFields(op, contract) }) });
  return {
    method: row.method,
    path: row.path,
    ...(row.summary && { summary: row.summary }),
    ...(parameters.length && { parameters }),
    ...(request && { request }),
    reply: { status: row.status, ...(replySchema && { mediaType: 'application/json', schema: replySchema }) },
    flow,
  };
}

function sourceOf(f: PlannedField): string {
  const root = f.place === 'header' ? 'headers' : f.place;
  return `${root}.${jsonataName(f.name)}`;
}

function replyFields(op: ContractOperation, contract: Contract): { to: string; from: string }[] {
  const s = resolveSchema(op.reply!.body, contract.types);
  // A list or a simple value goes on whole.
  if (op.graphql && !s.properties) return [{ to: '/body', from: 'body' }];
  return Object.keys(s.properties ?? {}).map((name) => ({
    to: `/body/${name.replace(/~/g, '~0').replace(/\//g, '~1')}`,
    from: `body.${jsonataName(name)}`,
  }));
}

function targetSchema(f: PlannedField, op: ContractOperation, contract: Contract): JsonSchema {
  const parts = pointerParts(f.target);
  if (parts[0] === 'soapHeader') return op.request.headers.find((h) => h.name === parts[1])?.schema ?? {};
  return schemaAt(op.request.body, contract.types, parts.slice(1)) ?? {};
}

function parameterOf(f: PlannedField, op: ContractOperation, contract: Contract, types: TypeTable): ParameterDocument {
  const { description, xml: _xml, ...schema } = copyTypes(targetSchema(f, op, contract), contract.types, types);
  const place = f.place as ParameterDocument['in'];
  // A parameter cannot say null: the type without it.
  const plain = Array.isArray(schema.type) ? { ...schema, type: schema.type.find((t) => t !== 'null') } : schema;
  const text = f.description ?? description;
  return {
    name: f.name,
    in: place,
    ...(text && { description: text }),
    ...((place === 'path' || f.required) && { required: true }),
    schema: plain,
  };
}

/** The caller's body: the backend's own type where the whole of it is the body, else an object of the fields that are. */
function requestOf(
  fields: readonly PlannedField[],
  op: ContractOperation,
  contract: Contract,
  types: TypeTable,
): NonNullable<OperationDocument['request']> {
  const whole = resolveSchema(op.request.body, contract.types);
  const names = Object.keys(whole.properties ?? {});
  const same = fields.length === names.length && fields.every((f) => f.target === `/body/${f.name}`);
  if (same)
    return { mediaType: 'application/json', required: true, schema: copyTypes(op.request.body, contract.types, types) };
  const properties: Record<string, JsonSchema> = {};
  const required: string[] = [];
  for (const f of fields) {
    properties[f.name] = copyTypes(targetSchema(f, op, contract), contract.types, types);
    if (f.required) required.push(f.name);
  }
  const kept = (s: JsonSchema) => (s.required ?? []).every((r) => r in properties);
  const oneOf = whole.oneOf?.every(kept) ? whole.oneOf : undefined;
  const schema: JsonSchema = {
    type: 'object',
    properties,
    ...(required.length && { required }),
    additionalProperties: false,
    ...(oneOf && { oneOf }),
  };
  return { mediaType: 'application/json', required: required.length > 0, schema };
}

function caseOf(row: PlannedOperation, operation: OperationDocument, types: TypeTable): CaseDocument {
  const request: CaseDocument['request'] = {};
  for (const p of operation.parameters ?? []) {
    if (!p.required && p.in !== 'query') continue;
    const sample = sampleOf(p.schema, types, { name: p.name });
    const value = sample === undefined ? p.name : sample;
    const list = typesOf(p.schema).includes('array');
    if (p.in === 'path') (request.path ??= {})[p.name] = value;
    else if (p.in === 'query') {
      if (p.required) (request.query ??= {})[p.name] = list && !Array.isArray(value) ? [value] : value;
    } else (request.headers ??= {})[p.name] = String(value as string);
  }
  if (operation.request?.schema) request.body = sampleOf(operation.request.schema, types, { optional: true });
  return {
    name: 'sample',
    operation: row.id,
    request,
    note: 'Made from the contract; change the values to ones that the backend knows.',
  };
}
