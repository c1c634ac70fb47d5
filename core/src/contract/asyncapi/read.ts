import { finding, HingeError, type Finding } from '../../problem';
import { essence, isJson } from '../../message/headers';
import type { JsonSchema } from '../../schema';
import type { ContractFiles } from '../model';
import { SchemaReader } from '../openapi/schemas';
import { parameterNames, withoutParameters } from '../../events/family';
import { isTree, OpenApiSource, type Prepare, type Tree } from '../openapi/source';
import type { ContractBroker, ContractChannel, EventContract } from './model';

const prepare: Prepare = ({ file, value, placeOf }, entry) => {
  if (!entry) return value;
  const version = isTree(value) ? value.asyncapi : undefined;
  if (version === undefined)
    throw new HingeError(
      'HNG-122',
      `${file} names no AsyncAPI version`,
      { file, line: 1 },
      {
        remedy: 'Begin it with asyncapi: 3.0.0, or give another kind of contract.',
      },
    );
  if (!/^(2\.[0-6]|3\.[01])\.\d+$/.test(String(version as string)))
    throw new HingeError('HNG-122', `${file} says AsyncAPI ${String(version as string)}`, placeOf(['asyncapi']), {
      remedy: 'AsyncAPI 2.0 to 2.6, 3.0 and 3.1 are read.',
    });
  return value;
};

/** Reads AsyncAPI 2.0 to 2.6 or 3.0, JSON or YAML, with what it refers to in other files. Throws HingeError when nothing can be made of it. */
export function readAsyncApi(files: ContractFiles): EventContract {
  if (/^\ufeff?\s*</.test(files.files[files.entry] ?? ''))
    throw new HingeError('HNG-122', `${files.entry} is XML and no AsyncAPI document`, { file: files.entry, line: 1 });
  return new AsyncApiReader(files).read();
}

/** What the application does at a channel, with the messages named there. */
interface Act {
  readonly taken: boolean;
  readonly messages: readonly Found[];
  readonly bindings: unknown;
  readonly words?: string;
}

interface Found {
  readonly value: Tree;
  readonly file: string;
}

class AsyncApiReader {
  private readonly source: OpenApiSource;
  private readonly schemas: SchemaReader;
  private readonly findings: Finding[] = [];
  /** Channels that no topic can be made of, and why. */
  private readonly leftOut: string[] = [];
  private readonly file: string;

  constructor(files: ContractFiles) {
    this.source = new OpenApiSource(files, prepare);
    this.schemas = new SchemaReader(this.source);
    this.file = files.entry;
  }

  read(): EventContract {
    const { root } = this.source;
    const info = treeOf(root.info);
    const components = treeOf(root.components);
    if (isTree(components.schemas)) this.schemas.reserve(components.schemas);
    const servers = this.servers(treeOf(root.servers));
    const latest = String(root.asyncapi as string).startsWith('3');
    const acts = latest ? this.acts3(treeOf(root.operations)) : undefined;
    const channels = Object.entries(treeOf(root.channels)).flatMap(([id, raw]) => {
      const found = this.follow(raw, this.file);
      if (!found) return [];
      const own = acts
        ? (acts.get(`${found.file}#${found.pointer}`) ?? acts.get(`${this.file}#/channels/${escape(id)}`) ?? [])
        : this.acts2(found);
      return this.channel(id, found, own, servers, latest);
    });
    if (!channels.length)
      throw new HingeError(
        'HNG-124',
        `${this.file} describes no channel that can be used${this.leftOut.length ? `: ${this.leftOut.slice(0, 3).join('; ')}` : ''}`,
        this.source.placeOf(this.file, ['channels']),
        {
          remedy: 'Give each channel the address of a topic; {name} stands for a part of it.',
        },
      );
    return {
      name: text(info.title) ?? 'Events',
      version: text(info.version),
      documentation: text(info.description),
      brokers: [...servers.values()].filter((b): b is ContractBroker => b !== undefined),
      channels,
      types: this.schemas.types,
      findings: [...this.findings, ...this.schemas.findings],
    };
  }

  /** Servers by name; undefined for one whose protocol is not spoken here. */
  private servers(all: Tree): Map<string, ContractBroker | undefined> {
    const out = new Map<string, ContractBroker | undefined>();
    for (const [name, raw] of Object.entries(all)) {
      const server = this.follow(raw, this.file)?.value ?? {};
      const protocol = text(server.protocol)?.toLowerCase() ?? '';
      const variables = treeOf(server.variables);
      const host = (text(server.host) ?? text(server.url) ?? '')
        .replace(/^[a-z][a-z0-9+.-]*:\/\//i, '')
        .replace(/\{([^}]*)\}/g, (whole, v: string) => text(treeOf(variables[v]).default) ?? whole)
        .replace(/\/.*$/, '');
      const place = this.source.placeOf(this.file, ['servers', name]);
      if (!/^(mqtts?|secure-mqtt|mqtt5|nats)$/.test(protocol)) {
        out.set(name, undefined);
        this.findings.push(
          finding(
            'HNG-128',
            `the server ${name} speaks ${protocol || 'no protocol that it names'}`,
            place,
            'Its topics are within the gateway alone until you give them a broker that speaks MQTT or NATS.',
          ),
        );
      } else if (!host || host.includes('{')) {
        out.set(name, undefined);
        this.findings.push(
          finding(
            'HNG-128',
            `the server ${name} has no address that can be used: ${host || '(none)'}`,
            place,
            'Give the broker its address in the document.',
          ),
        );
      } else {
        const scheme = protocol === 'nats' ? 'nats' : /^(mqtts|secure-mqtt)$/.test(protocol) ? 'mqtts' : 'mqtt';
        const version = text(server.protocolVersion) ?? (protocol === 'mqtt5' ? '5' : undefined);
        out.set(name, {
          name,
          description: text(server.description),
          address: `${scheme}://${host}`,
          ...(version !== undefined &&
            scheme !== 'nats' && { version: version.startsWith('5') ? ('5' as const) : ('3.1.1' as const) }),
        });
      }
    }
    return out;
  }

  /** AsyncAPI 3.0 "Operation Object": by the place of the channel that each names. */
  private acts3(operations: Tree): Map<string, Act[]> {
    const out = new Map<string, Act[]>();
    for (const raw of Object.values(operations)) {
      const operation = this.follow(raw, this.file);
      const ref = treeOf(operation?.value.channel).$ref;
      if (!operation || typeof ref !== 'string') continue;
      const at = this.source.resolve(ref, operation.file);
      const messages = listOf(operation.value.messages).flatMap((m) => this.follow(m, operation.file) ?? []);
      const key = `${at.file}#${at.pointer}`;
      const act: Act = {
        taken: operation.value.action === 'receive',
        messages,
        bindings: operation.value.bindings,
        words: text(operation.value.summary) ?? text(operation.value.description),
      };
      out.set(key, [...(out.get(key) ?? []), act]);
    }
    return out;
  }

  /** AsyncAPI 2.x "Channel Item Object": `publish` is what others may send to the application. */
  private acts2({ value, file }: Found): Act[] {
    return (['publish', 'subscribe'] as const).flatMap((kind) => {
      const operation = this.follow(value[kind], file);
      if (!operation) return [];
      const message = this.follow(operation.value.message, operation.file);
      const options = message && Array.isArray(message.value.oneOf) ? (message.value.oneOf as unknown[]) : undefined;
      const messages = options ? options.flatMap((m) => this.follow(m, message!.file) ?? []) : message ? [message] : [];
      const words = text(operation.value.summary) ?? text(operation.value.description);
      return [{ taken: kind === 'publish', messages, bindings: operation.value.bindings, words }];
    });
  }

  private channel(
    id: string,
    { value, file }: Found,
    acts: readonly Act[],
    servers: ReadonlyMap<string, ContractBroker | undefined>,
    latest: boolean,
  ): ContractChannel[] {
    const place = this.source.placeOf(this.file, ['channels', id]);
    const address = latest ? (text(value.address) ?? '') : id;
    if (!address || /[{}#+]/.test(withoutParameters(address))) {
      const why = address
        ? `its address ${address} has wildcards, or braces without the name of a parameter`
        : 'it has no address of its own';
      this.leftOut.push(`${id} is left out, ${why}`);
      this.findings.push(
        finding(
          'HNG-128',
          `the channel ${id} is left out: ${why}`,
          place,
          'Give the channel the address of a topic; {name} stands for a part of it.',
        ),
      );
      return [];
    }
    const named = listOf(value.servers).flatMap((s) => (typeof s === 'string' ? [s] : (refName(s) ?? [])));
    const broker = (named.length ? named : [...servers.keys()]).map((n) => servers.get(n)).find((b) => b !== undefined);
    const own = Object.values(treeOf(value.messages)).flatMap((m) => this.follow(m, file) ?? []);
    const said = acts.flatMap((a) => a.messages);
    const messages = unique(said.length ? said : own);
    const bindings = [...acts.map((a) => a.bindings), value.bindings].map((b) => treeOf(treeOf(b).mqtt));
    const qos = bindings.map((b) => b.qos).find((q) => typeof q === 'number');
    const retain = bindings.map((b) => b.retain).find((r) => typeof r === 'boolean');
    const parameters = this.parameters(address, treeOf(value.parameters), file);
    return [
      {
        id,
        address,
        ...(parameters && { parameters }),
        title: text(value.title),
        description:
          text(value.description) ?? text(value.summary) ?? acts.map((a) => a.words).find((w) => w !== undefined),
        broker: broker?.name,
        // A channel that no operation names is open both ways.
        taken: acts.length === 0 || acts.some((a) => a.taken),
        told: acts.length === 0 || acts.some((a) => !a.taken),
        ...this.content(id, messages),
        ...(typeof qos === 'number' && { qos: qos === 0 ? (0 as const) : (1 as const) }),
        ...(typeof retain === 'boolean' && { retain }),
        place,
      },
    ];
  }

  /** "Parameter Object" of 3.0; in 2.x its words stand in a schema. Undefined where the address has none. */
  private parameters(address: string, said: Tree, file: string): ContractChannel['parameters'] {
    const names = parameterNames(address);
    if (!names.length) return undefined;
    return Object.fromEntries(
      names.map((name) => {
        const found = this.follow(said[name], file);
        const schema = this.follow(found?.value.schema, found?.file ?? file)?.value ?? {};
        const words = { ...schema, ...found?.value } as Tree;
        const values = listOf(words.enum).map(String);
        const example = [...listOf(words.examples), words.default].find((x) => x !== undefined);
        const description = text(words.description);
        return [
          name,
          {
            ...(description && { description }),
            ...(values.length > 0 && { values }),
            ...(example !== undefined && { example: String(example as string) }),
          },
        ];
      }),
    );
  }

  /** Schema of the data of any of the messages. */
  private content(id: string, messages: readonly Found[]): Pick<ContractChannel, 'schema' | 'cloudEvents'> {
    const fallback = text(this.source.root.defaultContentType);
    let cloudEvents = false;
    const schemas: JsonSchema[] = [];
    for (const { value, file } of messages) {
      const media = text(value.contentType) ?? fallback;
      if (essence(media).startsWith('application/cloudevents')) cloudEvents = true;
      const multi = isTree(value.payload) && value.payload.schemaFormat !== undefined;
      const format = text(multi ? treeOf(value.payload).schemaFormat : value.schemaFormat);
      const payload = multi ? treeOf(value.payload).schema : value.payload;
      if (payload === undefined || (media !== undefined && !isJson(media))) continue;
      if (format !== undefined && !/asyncapi|json|openapi/.test(format)) {
        this.findings.push(
          finding(
            'HNG-128',
            `a message of ${id} has its schema as ${format}, which is not read`,
            this.source.placeOf(this.file, ['channels', id]),
            'Events of this topic are not held against a schema.',
          ),
        );
        continue;
      }
      const schema = this.schemas.read(payload, file);
      schemas.push(cloudEvents ? dataOf(schema, this.schemas) : schema);
    }
    if (!schemas.length) return { cloudEvents };
    return { cloudEvents, schema: schemas.length === 1 ? schemas[0]! : { anyOf: schemas } };
  }

  private follow(value: unknown, file: string): (Found & { readonly pointer: string }) | undefined {
    let at = { value, file, pointer: '' };
    for (let hops = 0; isTree(at.value) && typeof at.value.$ref === 'string'; hops++) {
      if (hops > 32)
        throw new HingeError('HNG-116', `the reference ${at.value.$ref} leads in a circle`, { file: at.file });
      at = this.source.resolve(at.value.$ref, at.file);
    }
    return isTree(at.value) ? { value: at.value, file: at.file, pointer: at.pointer } : undefined;
  }
}

/** A payload that is described with its envelope: the data is what is inside (CloudEvents 1.0 JSON format §2). */
function dataOf(schema: JsonSchema, { types }: SchemaReader): JsonSchema {
  const open = schema.$ref?.startsWith('#/types/')
    ? types[decodeURIComponent(schema.$ref.slice('#/types/'.length))]
    : schema;
  const { properties } = open ?? {};
  return properties?.specversion && properties.data ? properties.data : schema;
}

const treeOf = (v: unknown): Tree => (isTree(v) ? v : {});
const listOf = (v: unknown): unknown[] => (Array.isArray(v) ? (v as unknown[]) : []);
const text = (v: unknown): string | undefined => (typeof v === 'string' && v !== '' ? v : undefined);
const escape = (name: string): string => name.replace(/~/g, '~0').replace(/\//g, '~1');
const refName = (v: unknown): string | undefined => (isTree(v) ? text(v.$ref)?.split('/').pop() : undefined);

function unique(messages: readonly Found[]): Found[] {
  const seen = new Set<unknown>();
  return messages.filter((m) => !seen.has(m.value) && seen.add(m.value));
}
