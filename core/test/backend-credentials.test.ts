import { describe, expect, test } from '@jest/globals';
import { checkDocument, readOpenApi, suggestCredential, withUsernameToken, type FlowDocument } from '../src';

/** Security schemes of a contract, and what of them a gateway can meet. The wire is tested in gateway/test/credentials.test.ts. */
const contract = (security: string, schemes: string, operation = '') => `openapi: 3.1.0
info: { title: Pilots, version: '1' }
servers: [{ url: http://127.0.0.1:9/pilots }]
${security}
paths:
  /pilots:
    get:
      operationId: listPilots
      ${operation}
      responses: { '200': { description: All, content: { application/json: { schema: { type: object } } } } }
components:
  securitySchemes:
${schemes}
`;
const read = (text: string) => readOpenApi({ entry: 'a.yaml', files: { 'a.yaml': text } });

test('security schemes are read, with what a gateway can do about each (OpenAPI 3.1 §4.8.27)', () => {
  const c = read(
    contract(
      'security: [{ key: [] }]',
      `    key: { type: apiKey, in: header, name: X-Pilot-Key, description: Ask the harbour master }
    basic: { type: http, scheme: Basic }
    bearer: { type: http, scheme: bearer }
    digest: { type: http, scheme: digest }
    oauth: { type: oauth2, flows: { clientCredentials: { tokenUrl: 'https://issuer.example/token', scopes: { 'pilots:read': Read } } } }
    persons: { type: oauth2, flows: { implicit: { authorizationUrl: 'https://issuer.example/', scopes: {} } } }
    open: { type: openIdConnect, openIdConnectUrl: 'https://issuer.example/' }
    tls: { type: mutualTLS }`,
    ),
  );
  expect(c.security).toEqual([
    { name: 'key', documentation: 'Ask the harbour master', kind: 'key', in: 'header', parameter: 'X-Pilot-Key' },
    { name: 'basic', kind: 'basic' },
    { name: 'bearer', kind: 'bearer' },
    { name: 'digest', kind: 'other', words: 'HTTP authentication by digest' },
    { name: 'oauth', kind: 'client', tokenUrl: 'https://issuer.example/token', scopes: ['pilots:read'] },
    { name: 'persons', kind: 'other', words: 'OAuth 2 for persons' },
    { name: 'open', kind: 'other', words: 'OpenID Connect' },
    { name: 'tls', kind: 'other', words: 'a certificate of the caller (mutual TLS)' },
  ]);
  expect(c.security!.map((s) => suggestCredential(s, 'pilots'))).toEqual([
    { kind: 'key', in: 'header', name: 'X-Pilot-Key', secret: 'pilots-key' },
    { kind: 'basic', user: 'user', secret: 'pilots-password' },
    { kind: 'bearer', secret: 'pilots-token' },
    undefined,
    {
      kind: 'client',
      tokenUrl: 'https://issuer.example/token',
      clientId: 'client',
      secret: 'pilots-client-secret',
      scopes: ['pilots:read'],
    },
    undefined,
    undefined,
    undefined,
  ]);
});

test('the schemes of a 2.0 document too', () => {
  const c = readOpenApi({
    entry: 'a.json',
    files: {
      'a.json': JSON.stringify({
        swagger: '2.0',
        info: { title: 'Pilots', version: '1' },
        securityDefinitions: {
          basic: { type: 'basic' },
          oauth: { type: 'oauth2', flow: 'application', tokenUrl: 'https://issuer.example/token', scopes: {} },
        },
        security: [{ basic: [] }],
        paths: { '/pilots': { get: { operationId: 'listPilots', responses: { 200: { description: 'All' } } } } },
      }),
    },
  });
  expect(c.security).toMatchObject([
    { name: 'basic', kind: 'basic' },
    { name: 'oauth', kind: 'client', tokenUrl: 'https://issuer.example/token' },
  ]);
  expect(c.operations[0]!.http!.security).toEqual(['basic']);
});

const document = (
  text: string,
  credentials?: NonNullable<FlowDocument['backends']>[string]['credentials'],
): FlowDocument => ({
  hinge: 1,
  api: { name: 'Pilots', version: '1' },
  doors: [{ name: 'main', path: '/' }],
  backends: {
    pilots: {
      address: 'http://127.0.0.1:9',
      contract: { kind: 'openapi', entry: 'a.yaml', files: { 'a.yaml': text } },
      ...(credentials && { credentials }),
    },
  },
  operations: {
    list: {
      method: 'GET',
      path: '/pilots',
      flow: [
        { kind: 'map', to: { backend: 'pilots', operation: 'listPilots' } },
        { kind: 'call', backend: 'pilots', operation: 'listPilots' },
      ],
    },
  } as FlowDocument['operations'],
});
const codes = (d: FlowDocument) =>
  checkDocument(d)
    .filter((f) => f.code === 'HNG-331' || f.code === 'HNG-332')
    .map((f) => `${f.code} ${f.place.pointer}`);

describe('a contract that asks for credentials', () => {
  const KEY = '    key: { type: apiKey, in: header, name: K }';

  test('is a finding as long as the backend has none', () => {
    const text = contract('security: [{ key: [] }]', KEY);
    expect(codes(document(text))).toEqual(['HNG-331 /backends/pilots/credentials']);
    expect(codes(document(text, [{ kind: 'key', in: 'header', name: 'K', secret: 'k' }]))).toEqual([]);
  });

  test.each([
    ['nothing is asked for', '', ''],
    ['one requirement is empty', 'security: [{ key: [] }, {}]', ''],
    ['the operation takes it back', 'security: [{ key: [] }]', 'security: []'],
  ])('is none where %s', (_why, security, operation) => {
    expect(codes(document(contract(security, KEY, operation)))).toEqual([]);
  });

  test('a UsernameToken needs SOAP', () => {
    const d = document(contract('', KEY), [{ kind: 'username-token', user: 'u', secret: 's' }]);
    expect(codes(d)).toEqual(['HNG-332 /backends/pilots/credentials/0']);
  });
});

describe('UsernameToken in an envelope', () => {
  const token = { user: 'a&b', password: 'p' };
  const NS = 'http://schemas.xmlsoap.org/soap/envelope/';
  const security = /<wsse:Security [^>]*>.*<\/wsse:Security>/s;

  test.each([
    [
      'without a header',
      `<s:Envelope xmlns:s="${NS}"><s:Body/></s:Envelope>`,
      /<s:Header><wsse:Security .*<\/s:Header><s:Body\/>/,
    ],
    [
      'with an empty header',
      `<s:Envelope xmlns:s="${NS}"><s:Header/><s:Body/></s:Envelope>`,
      /<s:Header><wsse:Security .*<\/s:Header><s:Body\/>/,
    ],
    [
      'with a header',
      `<s:Envelope xmlns:s="${NS}">\r\n<s:Header a="1"><x/></s:Header><s:Body/></s:Envelope>`,
      /<s:Header a="1"><wsse:Security .*<x\/><\/s:Header>/,
    ],
    [
      'in the default namespace',
      `<Envelope xmlns="${NS}"><Body/></Envelope>`,
      /<Header><wsse:Security .*<\/Header><Body\/>/,
    ],
  ])('%s', async (_what, envelope, expected) => {
    const out = await withUsernameToken(envelope, token);
    expect(out).toMatch(expected);
    expect(security.exec(out!)![0]).toContain('<wsse:Username>a&amp;b</wsse:Username>');
  });

  test.each(['{"a":1}', '<a/>', `<s:Envelope xmlns:s="${NS}">`, ''])('%s is none', async (text) => {
    expect(await withUsernameToken(text, token)).toBeUndefined();
  });
});
