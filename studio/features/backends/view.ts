import {
  asJson,
  bodiesOf,
  isGraphql,
  replySide,
  replyTypes,
  requestSide,
  requestTypes,
  slug,
  typeRows,
  type Contract,
  type ContractFiles,
  type ContractOperation,
  type HeaderShape,
  type HttpParameter,
  type JsonSchema,
  type Place,
  type SecurityScheme,
  type TypeRow,
  type TypeTable,
} from '@hinge/core';

/** Which of several files describes the service: the others are what it refers to. */
export function entryOf(files: Readonly<Record<string, string>>): string {
  const names = Object.keys(files);
  return (
    names.find((n) => /\.wsdl$/i.test(n)) ??
    names.find((n) => /<([\w-]+:)?definitions\b/.test(files[n]!)) ??
    names.find((n) => /^\s*\{?\s*["']?(openapi|swagger)["']?\s*:/m.test(files[n]!)) ??
    names.find((n) => isGraphql(files[n]!) && /\btype\s+Query\b|"__schema"|\bschema\s*[@{]/.test(files[n]!)) ??
    names[0]!
  );
}

/** A contract that was read and is not kept yet. */
export interface Preview extends ContractFiles {
  readonly contract: ContractView;
  readonly suggestedName: string;
}

export const previewOf = (contract: Contract, source: ContractFiles): Preview => ({
  contract: viewOf(contract),
  files: source.files,
  entry: source.entry,
  suggestedName: slug(contract.name).replace(/-service$/, ''),
});

/** A contract as screens show it: typed trees instead of schemas and wire forms. */
export interface ContractView {
  readonly name: string;
  readonly documentation?: string;
  readonly addresses: readonly string[];
  readonly findings: readonly {
    readonly code: string;
    readonly severity: string;
    readonly message: string;
    readonly remedy: string;
  }[];
  readonly security: readonly SecurityScheme[];
  /** Some of its operations are SOAP. */
  readonly soap: boolean;
  readonly operations: readonly OperationView[];
  readonly types: readonly TypeView[];
}

/** A named type: its rows, where it stands in the documents, and which operations reach it. */
export interface TypeView {
  readonly name: string;
  readonly description?: string;
  readonly place?: string;
  readonly rows: readonly TypeRow[];
  readonly usedBy: readonly string[];
}

/** A parameter or a header field. */
export interface FieldView {
  readonly name: string;
  readonly words: string;
  readonly rules?: string;
  readonly required: boolean;
  readonly documentation?: string;
}

export interface OperationView {
  readonly id: string;
  readonly documentation?: string;
  readonly unusable?: string;
  readonly protocol: string;
  readonly place?: string;
  readonly request: readonly TypeRow[];
  /** Bodies that it takes instead, each by its media type. */
  readonly otherBodies: readonly { readonly mediaType: string; readonly rows: readonly TypeRow[] }[];
  readonly mediaType: string;
  readonly headers: readonly FieldView[];
  readonly reply?: readonly TypeRow[];
  readonly replyFields: readonly FieldView[];
  readonly faults: readonly {
    readonly name: string;
    readonly documentation?: string;
    readonly rows: readonly TypeRow[];
  }[];
}

const placeText = (p: Place | undefined): string | undefined =>
  p?.file === undefined ? undefined : p.line === undefined ? p.file : `${p.file}, line ${p.line}`;

export function viewOf(contract: Contract): ContractView {
  // A large contract is read by searching, not by scrolling through one type.
  const rows = contract.operations.length > 200 ? 80 : 500;
  return {
    name: contract.name,
    documentation: contract.documentation,
    addresses: contract.addresses,
    findings: contract.findings,
    security: contract.security ?? [],
    soap: contract.operations.some((o) => o.soap),
    operations: contract.operations.map((o) => ({
      id: o.id,
      documentation: o.documentation,
      unusable: o.unusable,
      place: placeText(o.place),
      protocol: o.soap
        ? `SOAP ${o.soap.version}, ${o.soap.style}/literal`
        : o.http
          ? `${o.http.method} ${o.http.path}`
          : `GraphQL ${o.graphql?.kind ?? ''}`.trim(),
      ...bodyViews(o, contract, rows),
      headers: o.http
        ? o.http.parameters.map((p) => fieldView(p, `in ${p.in}${writtenAs(p)}`, contract.types))
        : o.request.headers.map((h) => fieldView(h, 'in header', contract.types)),
      reply: o.reply && typeRows(replySide(o.reply.body, contract.types), replyTypes(contract.types), rows),
      replyFields: (o.http?.replies ?? []).flatMap((r) =>
        (r.headers ?? []).map((h) => fieldView(h, `in header of ${r.status}`, contract.types)),
      ),
      faults: o.faults.map((f) => ({
        name: f.name,
        documentation: f.documentation,
        rows: typeRows(f.schema, contract.types, 200),
      })),
    })),
    types: typeViews(contract),
  };
}

function bodyViews(o: ContractOperation, { types: all }: Contract, most: number) {
  const types = requestTypes(all);
  const rowsOf = (schema: JsonSchema) => typeRows(requestSide(schema, all), types, most);
  const [own, ...others] = bodiesOf(o.http?.request?.media ?? [], all);
  return {
    mediaType: o.request.mediaType,
    request: rowsOf(own ? asJson(own, all) : o.request.body),
    otherBodies: others.map((m) => ({ mediaType: m.mediaType, rows: rowsOf(asJson(m, all)) })),
  };
}

function fieldView(
  f: Pick<HeaderShape, 'name' | 'schema' | 'required' | 'documentation'>,
  where: string,
  types: TypeTable,
): FieldView {
  const row = typeRows({ properties: { f: f.schema } }, types)[0];
  const { name, required, documentation } = f;
  return { name, words: `${row?.words ?? ''} ${where}`, rules: row?.rules, required, documentation };
}

/** How its value stands there, where that is not the usual way of one value. */
function writtenAs(p: HttpParameter): string {
  if (p.mediaType !== undefined) return `, as ${p.mediaType}`;
  const usual = p.in === 'path' || p.in === 'header' ? 'simple' : 'form';
  return p.style === usual ? '' : `, ${p.style}`;
}

function typeViews(contract: Contract): TypeView[] {
  const users = new Map<string, Set<string>>();
  for (const o of contract.operations)
    for (const name of reachedFrom([o.request.body, o.reply?.body, ...o.faults.map((f) => f.schema)], contract.types))
      users.set(name, (users.get(name) ?? new Set()).add(o.id));
  return Object.entries(contract.types).map(([name, schema]) => ({
    name,
    description: schema.description,
    place: placeText(contract.typePlaces?.[name]),
    // A list has no members of its own: it is shown as one row, with those of what it holds.
    rows: typeRows(schema.type === 'array' ? { properties: { items: schema } } : schema, contract.types, 40),
    usedBy: [...(users.get(name) ?? [])],
  }));
}

/** Names of all types that schemas refer to, also by way of other types. */
function reachedFrom(schemas: readonly (JsonSchema | undefined)[], types: TypeTable): Set<string> {
  const out = new Set<string>();
  const walk = (node: unknown): void => {
    if (node === null || typeof node !== 'object') return;
    const ref = (node as JsonSchema).$ref;
    if (typeof ref === 'string' && ref.startsWith('#/types/')) {
      const name = ref.slice('#/types/'.length);
      if (!out.has(name)) {
        out.add(name);
        walk(types[name]);
      }
    }
    for (const v of Object.values(node)) walk(v);
  };
  schemas.forEach(walk);
  return out;
}
