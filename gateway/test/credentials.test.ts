import { afterEach, expect, test } from '@jest/globals';
import { draftRest, readWsdl, type CredentialDocument, type FlowDocument } from '@hinge/core';
import { createHash } from 'node:crypto';
import { createServer, type IncomingHttpHeaders, type Server } from 'node:http';
import type { AddressInfo } from 'node:net';
import * as soap from 'soap';
import { startGateway, type GatewayConfig, type RunningGateway } from '../src';
import { eventually } from './world';

/** What backends know the gateway by, on the wire. The issuer is a gateway of ours, the SOAP backend the `soap` package's server. */

const running: RunningGateway[] = [];
const servers: Server[] = [];
afterEach(async () => {
  for (const g of running.splice(0)) await g.stop();
  for (const s of servers.splice(0)) {
    s.close();
    s.closeAllConnections();
  }
});

async function listen(server: Server): Promise<string> {
  servers.push(server);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
}

interface Came {
  readonly url: string;
  readonly headers: IncomingHttpHeaders;
}

/** A backend that tells what it got. */
async function echo(status: (came: Came) => number = () => 200) {
  const came: Came[] = [];
  const address = await listen(
    createServer((req, res) => {
      req.resume();
      const one = { url: req.url!, headers: req.headers };
      came.push(one);
      res.writeHead(status(one), { 'content-type': 'application/json' });
      res.end('{}');
    }),
  );
  return { address, came };
}

async function gateway(config: Omit<GatewayConfig, 'revision'>): Promise<string> {
  const g = await startGateway({ port: 0, config: { revision: '1', environment: 'sandbox', ...config } });
  running.push(g);
  return `http://127.0.0.1:${g.port}`;
}

const proxy = (address: string, ...credentials: CredentialDocument[]): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay', version: '1' },
  doors: [{ name: 'main', path: '/quay' }],
  backends: { quay: { address, credentials } },
  operations: { all: { method: 'ANY', path: '/*', flow: [{ kind: 'call', backend: 'quay' }] } },
});

async function sent(
  credentials: CredentialDocument[],
  secrets: Record<string, string>,
  path = '/a?b=1',
  init?: RequestInit,
) {
  const { address, came } = await echo();
  const at = await gateway({ apis: [{ slug: 'quay', document: proxy(address, ...credentials) }], secrets });
  const reply = await fetch(`${at}/quay${path}`, init);
  return { reply, came, one: came[0]! };
}

test('basic, as the examples of RFC 7617 have it (§2 and §2.1)', async () => {
  const first = await sent([{ kind: 'basic', user: 'Aladdin', secret: 'p' }], { p: 'open sesame' });
  expect(first.one.headers.authorization).toBe('Basic QWxhZGRpbjpvcGVuIHNlc2FtZQ==');
  const second = await sent([{ kind: 'basic', user: 'test', secret: 'p' }], { p: '123£' });
  expect(second.one.headers.authorization).toBe('Basic dGVzdDoxMjPCow==');
});

test('bearer takes the place of what the caller sent', async () => {
  const { one } = await sent([{ kind: 'bearer', secret: 't' }], { t: 'abc' }, '/', {
    headers: { authorization: "Bearer the caller's" },
  });
  expect(one.headers.authorization).toBe('Bearer abc');
});

test('a key in a header, a query and a cookie, also together', async () => {
  const { one } = await sent(
    [
      { kind: 'key', in: 'header', name: 'X-Quay-Key', secret: 'k' },
      { kind: 'key', in: 'query', name: 'quay_key', secret: 'q' },
      { kind: 'key', in: 'cookie', name: 'session', secret: 'c' },
    ],
    { k: 'one', q: 'two &?', c: 'three' },
    '/a?b=1',
    { headers: { cookie: 'own=1' } },
  );
  expect(one.headers['x-quay-key']).toBe('one');
  expect(one.url).toBe('/a?b=1&quay_key=two%20%26%3F');
  expect(one.headers.cookie).toBe('own=1; session=three');
});

test('a secret that is not set is told by its name at the gateway, and nothing is sent', async () => {
  const { reply, came } = await sent([{ kind: 'bearer', secret: 'constructor' }], {});
  expect(reply.status).toBe(503);
  expect(await reply.json()).toMatchObject({
    type: '/problems/hng-509',
    detail: 'The gateway has no credentials for quay in sandbox.',
  });
  expect(came).toEqual([]);
});

/** Id and secret are form-encoded before they are joined (RFC 6749 §2.3.1). */
const basicOf = (header: string | undefined): string => decodeURIComponent(atob((header ?? '').replace(/^Basic /, '')));

/** Gives tokens to one app; each answer is counted. */
async function issuer(seconds = 300) {
  const given: string[] = [];
  const posted: string[] = [];
  const address = await listen(
    createServer((req, res) => {
      let body = '';
      req.on('data', (d) => (body += d));
      req.on('end', () => {
        posted.push(`${req.headers.authorization ?? ''} ${body}`);
        const right = basicOf(req.headers.authorization) === 'quay-gateway:s3cret' || /client_secret=s3cret/.test(body);
        res.writeHead(right ? 200 : 401, { 'content-type': 'application/json' });
        if (right) given.push(`token-${given.length + 1}`);
        res.end(
          JSON.stringify(
            right
              ? { access_token: given.at(-1), token_type: 'Bearer', expires_in: seconds }
              : { error: 'invalid_client', error_description: 'no' },
          ),
        );
      });
    }),
  );
  return { address: `${address}/token`, given, posted };
}

const client = (tokenUrl: string, more: object = {}): CredentialDocument => ({
  kind: 'client',
  tokenUrl,
  clientId: 'quay-gateway',
  secret: 's',
  ...more,
});

test('a token is fetched once for many calls, with scopes and audience', async () => {
  const from = await issuer();
  const { address, came } = await echo();
  const document = proxy(address, client(from.address, { scopes: ['a', 'b'], audience: 'quay' }));
  const at = await gateway({ apis: [{ slug: 'quay', document }], secrets: { s: 's3cret' } });
  await Promise.all(Array.from({ length: 20 }, () => fetch(`${at}/quay/x`)));
  expect(from.given).toEqual(['token-1']);
  expect(new Set(came.map((c) => c.headers.authorization))).toEqual(new Set(['Bearer token-1']));
  expect(new URLSearchParams(from.posted[0]!.split(' ').pop()!).get('scope')).toBe('a b');
  expect(new URLSearchParams(from.posted[0]!.split(' ').pop()!).get('audience')).toBe('quay');
});

test('id and secret in the body, where the issuer wants them there', async () => {
  const from = await issuer();
  const { one } = await sent([client(from.address, { send: 'body' })], { s: 's3cret' });
  expect(one.headers.authorization).toBe('Bearer token-1');
  expect(from.posted[0]).toMatch(/^ .*client_id=quay-gateway&client_secret=s3cret/);
});

test('a token that has ended is fetched anew', async () => {
  const from = await issuer(1);
  const { address, came } = await echo();
  const document = proxy(address, client(from.address));
  const at = await gateway({ apis: [{ slug: 'quay', document }], secrets: { s: 's3cret' } });
  await fetch(`${at}/quay/x`);
  await eventually('another token is used', async () => {
    await fetch(`${at}/quay/x`);
    return came.at(-1)!.headers.authorization === 'Bearer token-2';
  });
});

test('a token that the backend takes no more is fetched anew at once; a second 401 is the answer', async () => {
  const from = await issuer();
  let taken = 'token-1';
  const { address, came } = await echo((c) => (c.headers.authorization === `Bearer ${taken}` ? 200 : 401));
  const document = proxy(address, client(from.address));
  const at = await gateway({ apis: [{ slug: 'quay', document }], secrets: { s: 's3cret' } });
  expect((await fetch(`${at}/quay/x`)).status).toBe(200);
  taken = 'token-2';
  expect((await fetch(`${at}/quay/x`)).status).toBe(200);
  expect(came).toHaveLength(3);
  taken = 'none';
  expect((await fetch(`${at}/quay/x`)).status).toBe(401);
  expect(came).toHaveLength(5);
});

test('many refusals of one token at once fetch one other', async () => {
  const from = await issuer();
  let taken = 'token-1';
  const { address } = await echo((c) => (c.headers.authorization === `Bearer ${taken}` ? 200 : 401));
  const document = proxy(address, client(from.address));
  const at = await gateway({ apis: [{ slug: 'quay', document }], secrets: { s: 's3cret' } });
  await fetch(`${at}/quay/x`);
  taken = 'token-2';
  const all = await Promise.all(Array.from({ length: 20 }, async () => (await fetch(`${at}/quay/x`)).status));
  expect([new Set(all), from.given]).toEqual([new Set([200]), ['token-1', 'token-2']]);
});

test('an issuer that refuses, or is not there, is a 502 that tells callers nothing of it', async () => {
  const from = await issuer();
  const refused = await sent([client(from.address)], { s: 'wrong' });
  expect(refused.reply.status).toBe(502);
  const told = await refused.reply.text();
  expect(JSON.parse(told)).toMatchObject({
    type: '/problems/hng-512',
    detail: 'The gateway got no token for quay.',
  });
  expect(told).not.toMatch(/wrong|127\.0\.0\.1|invalid_client/);
  const away = await sent([client('http://127.0.0.1:9/token')], { s: 's3cret' });
  expect(away.reply.status).toBe(502);
  expect(away.came).toEqual([]);
  // The next call asks again.
  expect((await sent([client(from.address)], { s: 's3cret' })).reply.status).toBe(200);
});

const PING = `<definitions xmlns="http://schemas.xmlsoap.org/wsdl/" xmlns:soap="http://schemas.xmlsoap.org/wsdl/soap/" xmlns:t="urn:ping" name="Ping" targetNamespace="urn:ping">
<types><xs:schema xmlns:xs="http://www.w3.org/2001/XMLSchema" targetNamespace="urn:ping" elementFormDefault="qualified"><xs:element name="Ping"><xs:complexType><xs:sequence><xs:element name="word" type="xs:string"/></xs:sequence></xs:complexType></xs:element><xs:element name="PingResponse"><xs:complexType><xs:sequence><xs:element name="word" type="xs:string"/></xs:sequence></xs:complexType></xs:element></xs:schema></types>
<message name="In"><part name="p" element="t:Ping"/></message><message name="Out"><part name="p" element="t:PingResponse"/></message>
<portType name="P"><operation name="Ping"><input message="t:In"/><output message="t:Out"/></operation></portType>
<binding name="B" type="t:P"><soap:binding transport="http://schemas.xmlsoap.org/soap/http"/><operation name="Ping"><soap:operation soapAction="ping"/><input><soap:body use="literal"/></input><output><soap:body use="literal"/></output></operation></binding>
<service name="S"><port name="Port" binding="t:B"><soap:address location="http://127.0.0.1:1/ping"/></port></service></definitions>`;

interface Security {
  readonly UsernameToken: Readonly<Record<'Username' | 'Password' | 'Nonce' | 'Created', unknown>>;
}
const valueOf = (v: unknown): string =>
  v !== null && typeof v === 'object' ? String((v as { $value: unknown }).$value) : String(v);

test.each([false, true])(
  'UsernameToken in the SOAP header, digest %s, as the soap package reads it',
  async (digest) => {
    const seen: boolean[] = [];
    const http = createServer((_req, res) => void res.end());
    const address = await listen(http);
    const ping = (args: { word: unknown }) => ({ word: valueOf(args.word) });
    const server = soap.listen(http, '/ping', { S: { Port: { Ping: ping } } }, PING);
    server.authenticate = (security: Security) => {
      const { Username, Password, Nonce, Created } = security.UsernameToken;
      const hashed = () =>
        createHash('sha1')
          .update(Buffer.from(valueOf(Nonce), 'base64'))
          .update(`${valueOf(Created)}pa<ss`)
          .digest('base64');
      seen.push(valueOf(Username) === 'harbour' && valueOf(Password) === (digest ? hashed() : 'pa<ss'));
      return seen.at(-1)!;
    };
    const source = { entry: 'ping.wsdl', files: { 'ping.wsdl': PING } };
    const drafted = draftRest(readWsdl(source), source, undefined, { address: `${address}/ping`, base: '/ping' });
    const [name, backend] = Object.entries(drafted.backends!)[0]!;
    const credentials: CredentialDocument[] = [
      { kind: 'username-token', user: 'harbour', secret: 'p', ...(digest && { digest }) },
    ];
    const document = { ...drafted, backends: { [name]: { ...backend, credentials } } };
    const at = await gateway({ apis: [{ slug: 'ping', document }], secrets: { p: 'pa<ss' } });
    const operation = Object.values(document.operations)[0]!;
    const reply = await fetch(`${at}/ping${operation.path}`, {
      method: operation.method,
      headers: { 'content-type': 'application/json' },
      body: operation.method === 'GET' ? undefined : '{"word":"ahoy"}',
    });
    expect([reply.status, await reply.json()]).toEqual([200, { word: 'ahoy' }]);
    expect(seen).toEqual([true]);
  },
);
