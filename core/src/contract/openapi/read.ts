import { isHop } from '../../message/hop';
import { decoded } from '../../message/percent';
import { finding, HingeError, type Finding } from '../../problem';
import type { TypeTable } from '../../schema';
import type { Contract, ContractFiles, ContractOperation, FaultShape, HeaderShape, MessageShape } from '../model';
import type {
  HttpBody,
  HttpLink,
  HttpMedia,
  HttpOperation,
  HttpParameter,
  HttpReply,
  ParameterPlace,
  ParameterStyle,
  SecurityScheme,
} from './model';
import { anyBody, asJson, bodiesOf, preferredMedia } from './media';
import { encodingOf, formStylesOf } from './encoding';
import { askedSecurity, securityScheme } from './security';
import { SchemaReader } from './schemas';
import { isTree, OpenApiSource, type Tree } from './source';

const METHODS = ['get', 'put', 'post', 'delete', 'options', 'head', 'patch', 'trace'] as const;
const STYLES: readonly ParameterStyle[] = [
  'simple',
  'label',
  'matrix',
  'form',
  'spaceDelimited',
  'pipeDelimited',
  'deepObject',
];
/** Header parameters of these names mean nothing (§4.8.12.1). */
const NOT_HEADERS = new Set(['accept', 'content-type', 'authorization']);

/** Reads OpenAPI 2.0, 3.0 or 3.1, JSON or YAML, with what it refers to in other files. Throws HingeError when nothing can be made of it. */
export function readOpenApi(files: ContractFiles, progress?: (done: number, of: number) => void): Contract {
  return new OpenApiReader(files).read(progress);
}

class OpenApiReader {
  private readonly source: OpenApiSource;
  private readonly schemas: SchemaReader;
  private readonly findings: Finding[] = [];
  private readonly file: string;
  private readonly ids = new Set<string>();
  private readonly renamed = new Map<string, string>();
  /** What the first operation lacks that refers to something that is not there. */
  private missing: HingeError | undefined;

  constructor(files: ContractFiles) {
    this.source = new OpenApiSource(files);
    this.schemas = new SchemaReader(this.source);
    this.file = files.entry;
  }

  read(progress?: (done: number, of: number) => void): Contract {
    const { root } = this.source;
    const info = isTree(root.info) ? root.info : {};
    const components = isTree(root.components) ? root.components : {};
    if (isTree(components.schemas)) this.schemas.reserve(components.schemas);
    const operations: ContractOperation[] = [];
    const paths = Object.entries(isTree(root.paths) ? root.paths : {});
    for (const [i, [path, raw]] of paths.entries()) {
      progress?.(i, paths.length);
      if (!path.startsWith('/')) continue;
      const { value: item, file } = this.follow(raw, this.file);
      if (!isTree(item)) continue;
      for (const method of METHODS) {
        const value = item[method];
        if (isTree(value)) operations.push(this.readable(path, method, value, item, file));
      }
    }
    this.unread(root);
    if (this.missing && operations.every((o) => o.unusable)) throw this.missing;
    if (!operations.length)
      throw new HingeError('HNG-124', `${this.file} describes no operation`, this.source.placeOf(this.file, ['paths']));
    const linked = (link: HttpLink): HttpLink => ({
      ...link,
      operationId: this.linkedId(link.operationId, operations),
    });
    return {
      format: 'openapi',
      name: text(info.title) ?? 'API',
      version: text(info.version),
      documentation: text(info.description) ?? text(info.summary),
      addresses: this.addresses(root),
      operations: operations.map((o) =>
        o.http!.links.length ? { ...o, http: { ...o.http!, links: o.http!.links.map(linked) } } : o,
      ),
      types: this.schemas.types,
      security: this.securitySchemes(isTree(components.securitySchemes) ? components.securitySchemes : {}),
      typePlaces: this.schemas.places,
      findings: [...this.findings, ...this.schemas.findings],
    };
  }

  /** What the service calls by itself is no operation of it (§4.8.18, §4.8.1: callbacks, webhooks); said once. */
  private unread(root: Tree): void {
    const callbacks = Object.values(isTree(root.paths) ? root.paths : {}).flatMap((item) =>
      isTree(item)
        ? METHODS.flatMap((m) => (isTree(item[m]) && isTree(item[m].callbacks) ? Object.keys(item[m].callbacks) : []))
        : [],
    );
    const webhooks = Object.keys(isTree(root.webhooks) ? root.webhooks : {});
    for (const [what, names] of [
      ['callbacks', callbacks],
      ['webhooks', webhooks],
    ] as const)
      if (names.length)
        this.findings.push(
          finding(
            'HNG-128',
            `${what} are not read: ${names.slice(0, 5).join(', ')}${names.length > 5 ? ` and ${names.length - 5} more` : ''}`,
            this.source.placeOf(this.file, what === 'webhooks' ? ['webhooks'] : ['paths']),
            'Make a topic with a callback for what the service sends by itself.',
          ),
        );
  }

  /** The operation that a link names by its operationId, or by a reference to its place (§4.8.20.1), as it is called here. */
  private linkedId(named: string | undefined, operations: readonly ContractOperation[]): string | undefined {
    if (named === undefined) return undefined;
    const [path, method] = /#\/paths\/([^/]+)\/(\w+)$/.exec(named)?.slice(1) ?? [];
    const at = path && decoded(path.replace(/~1/g, '/').replace(/~0/g, '~'));
    const found = at && operations.find((o) => o.http!.path === at && o.http!.method === method!.toUpperCase());
    return found ? found.id : (this.renamed.get(named) ?? named);
  }

  /** Servers with their variables' defaults put in; relative ones say nothing without the place of the document. */
  private addresses(root: Tree): string[] {
    const out: string[] = [];
    for (const server of Array.isArray(root.servers) ? (root.servers as unknown[]) : []) {
      if (!isTree(server) || typeof server.url !== 'string') continue;
      const variables = isTree(server.variables) ? server.variables : {};
      const url = server.url.replace(/\{([^}]*)\}/g, (whole, name: string) => {
        const v = variables[name];
        return isTree(v) && typeof v.default === 'string' ? v.default : whole;
      });
      if (/^https?:\/\//i.test(url) && !url.includes('{')) out.push(url.replace(/\/+$/, ''));
    }
    return out;
  }

  private securitySchemes(schemes: Tree): SecurityScheme[] {
    return Object.entries(schemes).flatMap(([name, raw]) => {
      const { value } = this.follow(raw, this.file);
      return isTree(value) ? [securityScheme(name, value)] : [];
    });
  }

  /** Follows $ref of anything but schemas: path items, parameters, bodies, replies, headers, links, examples. */
  private follow(value: unknown, file: string): { value: unknown; file: string } {
    let at = { value, file };
    for (let hops = 0; isTree(at.value) && typeof at.value.$ref === 'string'; hops++) {
      if (hops > 32)
        throw new HingeError('HNG-116', `the reference ${at.value.$ref} leads in a circle`, { file: at.file });
      at = this.source.resolve(at.value.$ref, at.file);
    }
    return at;
  }

  /** An operation, or what is left of one that refers to something that is not there. */
  private readable(path: string, method: string, value: Tree, item: Tree, file: string): ContractOperation {
    const place = this.source.placeOf(this.file, ['paths', path, method]);
    const id = this.idFor(text(value.operationId) ?? fallbackId(method, path), place);
    try {
      return this.operation(id, path, method, value, item, file);
    } catch (error) {
      if (!(error instanceof HingeError) || error.finding.code !== 'HNG-115') throw error;
      this.missing ??= error;
      const { message, place: lacking, remedy } = error.finding;
      this.findings.push(finding('HNG-117', `the operation ${id} cannot be called: ${message}`, lacking, remedy));
      return {
        id,
        name: id,
        request: { body: {}, headers: [], mediaType: '' },
        faults: [],
        unusable: message,
        place,
        http: { method: method.toUpperCase(), path, parameters: [], replies: [], links: [], security: [] },
      };
    }
  }

  private operation(
    id: string,
    path: string,
    method: string,
    value: Tree,
    item: Tree,
    file: string,
  ): ContractOperation {
    const http: HttpOperation = {
      method: method.toUpperCase(),
      path,
      parameters: this.parameters([...list(item.parameters), ...list(value.parameters)], file, path, id),
      request: value.requestBody === undefined ? undefined : this.body(value.requestBody, file),
      replies: this.replies(isTree(value.responses) ? value.responses : {}, file),
      links: this.links(isTree(value.responses) ? value.responses : {}, file),
      ...askedSecurity(list(value.security ?? this.source.root.security)),
    };
    const success = http.replies.find((r) => /^2/.test(r.status)) ?? http.replies.find((r) => r.status === 'default');
    return {
      id,
      name: id,
      documentation: text(value.summary) ?? text(value.description),
      tags: list(value.tags).filter((t): t is string => typeof t === 'string'),
      request: requestOf(http.request?.media ?? [], this.schemas.types),
      reply: success && shapeOf(success.media, this.schemas.types),
      faults: faultsOf(http.replies),
      unusable: method === 'trace' ? 'TRACE is never passed on (RFC 9110 §9.3.8)' : undefined,
      place: this.source.placeOf(this.file, ['paths', path, method]),
      http,
    };
  }

  private idFor(wanted: string, place: ContractOperation['place']): string {
    const clean = wanted
      .replace(/[^A-Za-z0-9_-]/g, '_')
      .replace(/^([^A-Za-z_])/, '_$1')
      .slice(0, 100);
    let id = clean;
    for (let n = 2; this.ids.has(id); n++) id = `${clean}_${n}`;
    this.ids.add(id);
    if (id !== wanted) this.renamed.set(wanted, id);
    if (id !== wanted) this.findings.push(finding('HNG-123', `the operation ${wanted} is called ${id} here`, place));
    return id;
  }

  private parameters(raw: readonly unknown[], file: string, path: string, id: string): HttpParameter[] {
    const out = new Map<string, HttpParameter>();
    for (const one of raw) {
      const { value, file: at } = this.follow(one, file);
      if (!isTree(value) || typeof value.name !== 'string') continue;
      const place = value.in as ParameterPlace;
      if (!['path', 'query', 'header', 'cookie'].includes(place)) continue;
      if (place === 'header' && NOT_HEADERS.has(value.name.toLowerCase())) continue;
      const [mediaType, content] = Object.entries(isTree(value.content) ? value.content : {})[0] ?? [];
      const schema = this.schemas.read(isTree(content) ? content.schema : value.schema, at);
      const style = STYLES.includes(value.style as ParameterStyle)
        ? (value.style as ParameterStyle)
        : place === 'query' || place === 'cookie'
          ? 'form'
          : 'simple';
      // Parameters of the operation take the place of those of the path.
      out.set(`${place} ${value.name}`, {
        name: value.name,
        in: place,
        required: place === 'path' || value.required === true,
        schema,
        style,
        explode: typeof value.explode === 'boolean' ? value.explode : style === 'form',
        ...(mediaType !== undefined && { mediaType }),
        documentation: text(value.description),
        example: this.example(value, at) ?? (isTree(content) ? this.example(content, at) : undefined),
      });
    }
    for (const m of path.matchAll(/\{([^}]+)\}/g)) {
      if (out.has(`path ${m[1]!}`)) continue;
      this.findings.push(
        finding(
          'HNG-125',
          `${id} does not declare {${m[1]!}}, which its path holds`,
          this.source.placeOf(this.file, ['paths', path]),
        ),
      );
      out.set(`path ${m[1]!}`, {
        name: m[1]!,
        in: 'path',
        required: true,
        schema: { type: 'string' },
        style: 'simple',
        explode: false,
      });
    }
    return [...out.values()].filter((p) => p.in !== 'path' || path.includes(`{${p.name}}`));
  }

  private example(value: Tree, file: string): unknown {
    if (value.example !== undefined) return value.example;
    if (!isTree(value.examples)) return undefined;
    const { value: first } = this.follow(Object.values(value.examples)[0], file);
    return isTree(first) ? first.value : undefined;
  }

  private body(raw: unknown, file: string): HttpBody | undefined {
    const { value, file: at } = this.follow(raw, file);
    if (!isTree(value)) return undefined;
    return {
      required: value.required === true,
      media: this.media(value.content, at),
      documentation: text(value.description),
    };
  }

  private media(raw: unknown, file: string): HttpMedia[] {
    return Object.entries(isTree(raw) ? raw : {}).map(([mediaType, v]) => {
      const m = isTree(v) ? v : {};
      const encoding = encodingOf(m.encoding);
      const styles = formStylesOf(m);
      return {
        mediaType,
        schema: this.schemas.read(m.schema, file),
        example: this.example(m, file),
        ...(encoding && { encoding }),
        ...(styles && { styles }),
      };
    });
  }

  private replies(raw: Tree, file: string): HttpReply[] {
    return Object.entries(raw)
      .filter(([status]) => /^([1-5](\d\d|XX)|default)$/i.test(status))
      .map(([status, v]) => {
        const { value, file: at } = this.follow(v, file);
        const reply = isTree(value) ? value : {};
        return {
          status: status.toUpperCase() === 'DEFAULT' ? 'default' : status.toUpperCase(),
          documentation: text(reply.description),
          media: this.media(reply.content, at),
          ...this.headers(reply.headers, at),
        };
      });
  }

  private headers(raw: unknown, file: string): Pick<HttpReply, 'headers'> {
    const headers = Object.entries(isTree(raw) ? raw : {}).flatMap(([name, h]): HeaderShape[] => {
      const { value, file: at } = this.follow(h, file);
      // "Content-Type" is ignored (§4.8.17), as is what belongs to one hop.
      if (!isTree(value) || name.toLowerCase() === 'content-type' || isHop(name.toLowerCase())) return [];
      const content = isTree(value.content) ? Object.values(value.content)[0] : undefined;
      const schema = this.schemas.read(isTree(content) ? content.schema : value.schema, at);
      return [{ name, schema, required: value.required === true, documentation: text(value.description) }];
    });
    return headers.length ? { headers } : {};
  }

  private links(raw: Tree, file: string): HttpLink[] {
    return Object.values(raw).flatMap((r) => {
      const { value, file: at } = this.follow(r, file);
      return Object.entries(isTree(value) && isTree(value.links) ? value.links : {}).flatMap(([name, l]) => {
        const { value: link } = this.follow(l, at);
        if (!isTree(link)) return [];
        const operationId = text(link.operationId) ?? text(link.operationRef);
        return [{ name, operationId, parameters: isTree(link.parameters) ? link.parameters : {} }];
      });
    });
  }
}

/** GET /berths/{id} without an operationId: get_berths_id. */
function fallbackId(method: string, path: string): string {
  return `${method}${path.replace(/[^A-Za-z0-9]+/g, '_').replace(/_$/, '')}`;
}

/** One of several bodies, where they hold something different. */
function requestOf(media: readonly HttpMedia[], types: TypeTable): MessageShape {
  const bodies = bodiesOf(media, types).map((m) => asJson(m, types));
  return { body: anyBody(bodies) ?? {}, headers: [], mediaType: preferredMedia(media)?.mediaType ?? '' };
}

function shapeOf(media: readonly HttpMedia[] | undefined, types: TypeTable): MessageShape {
  const chosen = preferredMedia(media ?? []);
  return { body: (chosen && asJson(chosen, types)) ?? {}, headers: [], mediaType: chosen?.mediaType ?? '' };
}

function faultsOf(replies: readonly HttpReply[]): FaultShape[] {
  return replies
    .filter((r) => /^[45]/.test(r.status))
    .map((r) => ({ name: r.status, schema: preferredMedia(r.media)?.schema ?? {}, documentation: r.documentation }));
}

const text = (v: unknown): string | undefined => (typeof v === 'string' && v !== '' ? v : undefined);
const list = (v: unknown): unknown[] => (Array.isArray(v) ? (v as unknown[]) : []);
