import { describe, expect, test } from '@jest/globals';
import { Parser } from '@asyncapi/parser';
import {
  checkDocument,
  draftEvents,
  exportAsyncApi,
  FlowDocumentSchema,
  readAsyncApi,
  writeJson,
  type FlowDocument,
} from '../src';

/** The parser of the AsyncAPI Initiative judges what is exported; its documents of other shapes are written after the text of the specification. */
const parser = new Parser();
async function judge(document: unknown): Promise<string[]> {
  const { diagnostics } = await parser.parse(typeof document === 'string' ? document : writeJson(document));
  return diagnostics.filter((d) => d.severity === 0).map((d) => `${d.path.join('/')}: ${d.message}`);
}
const read = (text: string, more: Record<string, string> = {}) =>
  readAsyncApi({ entry: 'a.yaml', files: { 'a.yaml': text, ...more } });

/** After the example "streetlights" of AsyncAPI 2.6, from memory, with servers and channels of the harbour. */
const OLD = `asyncapi: 2.6.0
info: { title: Quay lights, version: 1.2.0, description: Lights on the quay }
servers:
  town: { url: 'mqtt://{host}:1883/x', protocol: mqtt, protocolVersion: 3.1.1, variables: { host: { default: broker.tarnhaven.example } } }
  heap: { url: 'heap:9092', protocol: other }
defaultContentType: application/json
channels:
  lights/measured:
    publish:
      summary: Somebody measured
      bindings: { mqtt: { qos: 0, retain: true } }
      message: { $ref: '#/components/messages/measured' }
  lights/turned:
    servers: [town]
    subscribe:
      message:
        oneOf:
          - { $ref: '#/components/messages/measured' }
          - { payload: { type: object, properties: { on: { type: boolean } }, required: [on] } }
  'lights/{id}/dimmed':
    parameters: { id: { description: Number, schema: { type: string, enum: ['7', '8'] } } }
    publish: { message: { payload: { type: object } } }
  'lights/+/all':
    publish: { message: { payload: { type: object } } }
components:
  messages:
    measured: { payload: { $ref: '#/components/schemas/Measured' } }
  schemas:
    Measured: { type: object, properties: { lumens: { type: integer, minimum: 0 } }, required: [lumens] }
`;

const NEW = `asyncapi: 3.0.0
info: { title: Quay lights, version: 2.0.0 }
servers:
  town: { host: 'broker.tarnhaven.example:8883', protocol: secure-mqtt, protocolVersion: '5.0' }
channels:
  measured:
    address: lights/measured
    title: Measured
    messages: { event: { contentType: application/cloudevents+json, payload: { $ref: './types.yaml#/Envelope' } } }
  open: { address: lights/open, messages: { m: { payload: { type: string } } } }
  grid: { address: lights/grid, messages: { m: { payload: { schemaFormat: application/vnd.apache.avro;version=1.9.0, schema: {} } } } }
  wild: { address: null, messages: {} }
operations:
  tell: { action: send, channel: { $ref: '#/channels/measured' }, bindings: { mqtt: { qos: 2 } } }
  take: { action: receive, channel: { $ref: '#/channels/grid' } }
`;
/** After the street lights of AsyncAPI 3.0, from memory, with one parameter more. */
const STREET = `asyncapi: 3.0.0
info: { title: Streetlights, version: 1.0.0 }
servers:
  scram: { host: 'broker.tarnhaven.example:1883', protocol: mqtt }
channels:
  lightingMeasured:
    address: smartylighting/streetlights/1/0/event/{streetlightId}/lighting/measured
    messages: { lightMeasured: { payload: { type: object, properties: { lumens: { type: integer, minimum: 0 } } } } }
    parameters: { streetlightId: { $ref: '#/components/parameters/streetlightId' } }
  lightTurnOn:
    address: smartylighting/streetlights/1/0/action/{streetlightId}/turn/{how}
    messages: { turn: { payload: { type: object } } }
    parameters:
      streetlightId: { $ref: '#/components/parameters/streetlightId' }
      how: { enum: ['on', 'off'], default: 'on' }
operations:
  receiveLightMeasurement: { action: send, channel: { $ref: '#/channels/lightingMeasured' } }
  turn: { action: receive, channel: { $ref: '#/channels/lightTurnOn' } }
components: { parameters: { streetlightId: { description: The ID of the streetlight. } } }
`;
const TYPES = `Envelope: { type: object, properties: { specversion: { type: string }, data: { type: object, properties: { lumens: { type: integer } } } } }`;

describe('AsyncAPI as topics', () => {
  test('2.6: what is published by others is taken, what is subscribed to is told; protocol, bindings and references are kept', async () => {
    expect(await judge(OLD)).toEqual([]);
    const c = read(OLD);
    expect(c).toMatchObject({
      name: 'Quay lights',
      version: '1.2.0',
      brokers: [{ name: 'town', address: 'mqtt://broker.tarnhaven.example:1883', version: '3.1.1' }],
      channels: [
        {
          id: 'lights/measured',
          taken: true,
          told: false,
          broker: 'town',
          qos: 0,
          retain: true,
          schema: { $ref: '#/types/Measured' },
          description: 'Somebody measured',
        },
        {
          id: 'lights/turned',
          taken: false,
          told: true,
          schema: { anyOf: [{ $ref: '#/types/Measured' }, { type: 'object', required: ['on'] }] },
        },
        {
          id: 'lights/{id}/dimmed',
          address: 'lights/{id}/dimmed',
          parameters: { id: { description: 'Number', values: ['7', '8'] } },
          taken: true,
        },
      ],
    });
    expect(c.types.Measured).toMatchObject({ required: ['lumens'] });
    expect(c.findings.map((f) => f.message)).toEqual([
      'the server heap speaks other',
      'the channel lights/+/all is left out: its address lights/+/all has wildcards, or braces without the name of a parameter',
    ]);
    expect(c.findings[1]!.place).toMatchObject({ file: 'a.yaml', line: 24 });
  });

  test('a server of NATS is a broker; its protocol has no version', () => {
    const c = read(
      NEW.replace(
        "host: 'broker.tarnhaven.example:8883', protocol: secure-mqtt",
        "host: 'broker.tarnhaven.example:4222', protocol: nats",
      ),
      { 'types.yaml': TYPES },
    );
    expect(c.brokers).toEqual([{ name: 'town', address: 'nats://broker.tarnhaven.example:4222' }]);
  });

  test('3.0: operations say who sends; a channel without one is open both ways; data inside an envelope is the data', async () => {
    const c = read(NEW, { 'types.yaml': TYPES });
    expect(c.brokers).toEqual([{ name: 'town', address: 'mqtts://broker.tarnhaven.example:8883', version: '5' }]);
    expect(c.channels).toMatchObject([
      {
        id: 'measured',
        address: 'lights/measured',
        title: 'Measured',
        taken: false,
        told: true,
        cloudEvents: true,
        qos: 1,
        schema: { properties: { lumens: { type: 'integer' } } },
      },
      { id: 'open', taken: true, told: true, cloudEvents: false, schema: { type: 'string' } },
      { id: 'grid', taken: true, told: false },
    ]);
    expect(c.channels[2]!.schema).toBeUndefined();
    expect(c.findings.map((f) => [f.code, f.message])).toEqual([
      ['HNG-128', 'a message of grid has its schema as application/vnd.apache.avro;version=1.9.0, which is not read'],
      ['HNG-128', 'the channel wild is left out: it has no address of its own'],
    ]);
  });

  test.each([
    ['another kind of document', 'openapi: 3.1.0\n', /names no AsyncAPI version/],
    ['a version that is not known', 'asyncapi: 1.0.0\n', /says AsyncAPI 1.0.0/],
    ['no channel', 'asyncapi: 3.0.0\ninfo: {}\nchannels: {}\n', /no channel that can be used/],
    ['a reference to nothing', "asyncapi: 3.0.0\nchannels: { a: { $ref: '#/nowhere' } }\n", /leads to nothing/],
    ['a circle', "asyncapi: 3.0.0\nchannels: { a: { $ref: '#/channels/b' }, b: { $ref: '#/channels/a' } }\n", /circle/],
    ['no YAML', 'asyncapi: [', /./],
  ])('%s is told', (_name, text, words) => expect(() => read(text)).toThrow(words));
});

describe('drafted and exported', () => {
  const draft = (text: string, more: Record<string, string> = {}, options = {}) =>
    draftEvents(read(text, more), options);

  test('a whole document without findings, one path for each channel, the ways as the contract says', () => {
    const d = draft(OLD, {}, { base: '/lights/v1' });
    expect(FlowDocumentSchema.safeParse(d).error).toBeUndefined();
    expect(checkDocument(d as FlowDocument)).toEqual([]);
    expect(d).toMatchObject({
      doors: [{ path: '/lights/v1', answers: 'events' }],
      brokers: { town: { address: 'mqtt://broker.tarnhaven.example:1883', version: '3.1.1' } },
      topics: {
        'lights-measured': {
          broker: 'town',
          address: 'lights/measured',
          door: { path: '/lights/measured', listen: false },
          qos: 0,
          retain: true,
        },
        'lights-turned': { door: { path: '/lights/turned', publish: false } },
      },
    });
  });

  test('an address that is given takes the place of those of the contract, and makes a broker where it has none', () => {
    expect(Object.values(draft(OLD, {}, { address: 'mqtt://127.0.0.1:1884' }).brokers!)).toMatchObject([
      { address: 'mqtt://127.0.0.1:1884' },
    ]);
    const none = draft('asyncapi: 3.0.0\nchannels: { a: { address: a } }\n', {}, { address: 'mqtt://127.0.0.1:1884' });
    expect(none).toMatchObject({
      brokers: { broker: { address: 'mqtt://127.0.0.1:1884' } },
      topics: { a: { broker: 'broker' } },
    });
    expect(draft('asyncapi: 3.0.0\nchannels: { a: { address: a } }\n').brokers).toBeUndefined();
  });

  test('what is exported the standard parser accepts, and reading it again gives the same topics', async () => {
    for (const d of [draft(OLD), draft(NEW, { 'types.yaml': TYPES })]) {
      const exported = exportAsyncApi(d, { server: 'http://127.0.0.1:4320' });
      expect(await judge(exported)).toEqual([]);
      const again = read(writeJson(exported));
      expect(again.channels.map((c) => [c.id, c.taken, c.told, c.cloudEvents, c.schema])).toEqual(
        Object.entries(d.topics!).map(([name, t]) => [
          name,
          t.door?.publish !== false,
          t.door?.listen !== false,
          t.form === 'cloudevents',
          t.schema,
        ]),
      );
      expect(again.channels.every((c) => c.address.startsWith(d.doors[0]!.path))).toBe(true);
    }
    expect(await judge({ asyncapi: '3.0.0', info: { title: 'no version' } })).not.toEqual([]);
  });

  test('one whose channels cannot be used says which and why', () => {
    const lights =
      'channels: { measured: { address: "lights/{light id}/measured" }, all: { address: "lights/#" }, none: {} }';
    expect(() => read(`asyncapi: 3.0.0\n${lights}\n`)).toThrow(
      'no channel that can be used: measured is left out, its address lights/{light id}/measured has wildcards, or braces without the name of a parameter; all is left out, its address lights/# has wildcards, or braces without the name of a parameter; none is left out, it has no address of its own',
    );
  });

  test('channels with parameters are topics with parameters, out and in again', async () => {
    expect(await judge(STREET)).toEqual([]);
    const d = draft(STREET, {}, { base: '/street/v1' });
    expect(checkDocument(d)).toEqual([]);
    expect(d.topics).toMatchObject({
      'lighting-measured': {
        address: 'smartylighting/streetlights/1/0/event/{streetlightId}/lighting/measured',
        parameters: { streetlightId: { description: 'The ID of the streetlight.' } },
        door: { path: '/smartylighting/streetlights/1/0/event/{streetlightId}/lighting/measured', publish: false },
      },
      'light-turn-on': { address: 'smartylighting/streetlights/1/0/action/{streetlightId}/turn/{how}' },
    });
    expect(d.topics!['light-turn-on']!.parameters).toMatchObject({ how: { values: ['on', 'off'], example: 'on' } });
    const exported = exportAsyncApi(d, { server: 'http://127.0.0.1:4320' });
    expect(await judge(exported)).toEqual([]);
    const again = read(writeJson(exported));
    expect(again.channels.map((c) => [c.id, c.parameters])).toEqual(
      Object.entries(d.topics!).map(([name, t]) => [name, { streetlightId: {}, ...t.parameters }]),
    );
  });

  test('an API without topics has nothing to export', () => {
    expect(() => exportAsyncApi({ hinge: 1, api: { name: 'A', version: '1' }, doors: [], operations: {} })).toThrow(
      /no door that answers events/,
    );
  });
});
