import { afterEach, beforeAll, describe, expect, test } from '@jest/globals';
import type { FlowDocument, GuardDocument } from '@hinge/core';
import { exportOpenApi } from '@hinge/core';
import { execFileSync } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { connect } from 'node:tls';
import { join } from 'node:path';
import { Agent, request } from 'undici';
import { WebSocket } from 'ws';
import { readTls, startGateway, type RunningGateway } from '../src';

/** Mutual TLS where the gateway ends TLS: certificates made by openssl, callers are undici and ws. */
let folder: string;
const at = (name: string) => join(folder, name);
const pem = (name: string) => readFileSync(at(name), 'utf8');
const openssl = (...args: string[]) => execFileSync('openssl', args, { cwd: folder, stdio: 'pipe' });

function authority(name: string): void {
  openssl(
    'req',
    '-x509',
    '-newkey',
    'ec',
    '-pkeyopt',
    'ec_paramgen_curve:P-256',
    '-nodes',
    '-days',
    '2',
    '-subj',
    `/CN=${name}`,
    '-keyout',
    `${name}.key`,
    '-out',
    `${name}.pem`,
  );
}
function certificate(name: string, by: string, san: string, ...dates: string[]): void {
  openssl(
    'req',
    '-newkey',
    'ec',
    '-pkeyopt',
    'ec_paramgen_curve:P-256',
    '-nodes',
    '-subj',
    `/O=Harbour/CN=${name}`,
    '-keyout',
    `${name}.key`,
    '-out',
    `${name}.csr`,
  );
  writeFileSync(at(`${name}.ext`), `subjectAltName=${san}\n`);
  openssl(
    'x509',
    '-req',
    '-in',
    `${name}.csr`,
    '-CA',
    `${by}.pem`,
    '-CAkey',
    `${by}.key`,
    '-CAcreateserial',
    '-days',
    '1',
    '-extfile',
    `${name}.ext`,
    '-out',
    `${name}.pem`,
    ...dates,
  );
}
const fingerprint = (name: string): string =>
  openssl('x509', '-in', `${name}.pem`, '-noout', '-fingerprint', '-sha256').toString().split('=')[1]!.trim();

beforeAll(() => {
  folder = mkdtempSync(join(tmpdir(), 'hinge-tls-'));
  for (const name of ['harbour', 'stranger']) authority(name);
  certificate('gateway', 'harbour', 'IP:127.0.0.1,DNS:localhost');
  certificate('kittiwake', 'harbour', 'URI:urn:agency:kittiwake,DNS:kittiwake.example');
  certificate('dunlin', 'harbour', 'DNS:dunlin.example');
  certificate('forger', 'stranger', 'DNS:kittiwake.example');
});

const running: RunningGateway[] = [];
afterEach(async () => {
  for (const g of running.splice(0)) await g.stop();
});

const document = (guard: GuardDocument): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay', version: '1' },
  doors: [
    { name: 'partners', path: '/partners', guards: [guard] },
    { name: 'all', path: '/all' },
  ],
  plans: { quay: { name: 'Quay' } },
  apps: { kittiwake: { name: 'Kittiwake Agency', plan: 'quay', keys: [] } },
  operations: {
    look: {
      method: 'GET',
      path: '/',
      flow: [{ kind: 'reply', from: '{"app": app.name, "plan": plan.name, "who": claims.sub, "names": claims.names}' }],
    },
  },
});

async function start(guard: GuardDocument = { kind: 'certificate' }): Promise<string> {
  const g = await startGateway({
    port: 0,
    config: { revision: '1', apis: [{ slug: 'quay', document: document(guard) }] },
    tls: { cert: pem('gateway.pem'), key: pem('gateway.key'), ca: pem('harbour.pem') },
  });
  running.push(g);
  return `https://127.0.0.1:${g.port}`;
}

async function call(url: string, who?: string) {
  const own = who === undefined ? {} : { cert: pem(`${who}.pem`), key: pem(`${who}.key`) };
  const dispatcher = new Agent({ connect: { ca: pem('harbour.pem'), ...own } });
  try {
    const reply = await request(url, { dispatcher });
    return { status: reply.statusCode, body: (await reply.body.json()) as Record<string, unknown> };
  } finally {
    await dispatcher.destroy();
  }
}

describe('certificates that change while the gateway runs', () => {
  const copy = (from: string, to: string) => writeFileSync(at(to), pem(from));
  /** The list of the authority, with what it has revoked so far (`openssl ca`). */
  const revoked = (...names: string[]) => {
    writeFileSync(
      at('ca.cnf'),
      '[ca]\ndefault_ca=d\n[d]\ndatabase=index.txt\ncrlnumber=crlnumber\ndefault_md=sha256\ndefault_crl_days=1\ncertificate=harbour.pem\nprivate_key=harbour.key\n',
    );
    writeFileSync(at('index.txt'), '');
    writeFileSync(at('crlnumber'), '01\n');
    for (const name of names) openssl('ca', '-config', 'ca.cnf', '-revoke', `${name}.pem`);
    openssl('ca', '-config', 'ca.cnf', '-gencrl', '-out', 'harbour.crl');
  };
  const told: string[] = [];
  const started = async (): Promise<string> => {
    copy('gateway.pem', 'now.pem');
    copy('gateway.key', 'now.key');
    const tlsFiles = { cert: at('now.pem'), key: at('now.key'), ca: at('harbour.pem'), crl: at('harbour.crl') };
    const g = await startGateway({
      port: 0,
      config: { revision: '1', apis: [{ slug: 'quay', document: document({ kind: 'certificate' }) }] },
      tls: await readTls(tlsFiles),
      tlsFiles,
      log: (m) => void told.push(m),
    });
    running.push(g);
    return `https://127.0.0.1:${g.port}`;
  };
  const heard = async (words: string): Promise<void> => {
    for (let i = 0; i < 400 && !told.some((t) => t.includes(words)); i++) await new Promise((r) => setTimeout(r, 20));
    expect(told.join('\n')).toContain(words);
    told.splice(0);
  };

  test('one that its authority revoked is refused from then on, the others are not', async () => {
    revoked();
    const quay = await started();
    expect((await call(`${quay}/partners/`, 'dunlin')).status).toBe(200);
    revoked('dunlin');
    await heard('certificates were read again');
    const refused = await call(`${quay}/partners/`, 'dunlin');
    expect(refused.status).toBe(403);
    expect((await call(`${quay}/partners/`, 'kittiwake')).status).toBe(200);
    expect((await call(`${quay}/all/`)).status).toBe(200);
  }, 20_000);

  test("the gateway's own is renewed; a file that is none leaves the former in place", async () => {
    revoked();
    certificate('later', 'harbour', 'IP:127.0.0.1');
    const quay = await started();
    const shown = () =>
      new Promise<string>((resolve, reject) => {
        const socket = connect({ port: Number(new URL(quay).port), host: '127.0.0.1', ca: pem('harbour.pem') }, () => {
          resolve(String(socket.getPeerCertificate().subject.CN));
          socket.destroy();
        });
        socket.once('error', reject);
      });
    expect(await shown()).toBe('gateway');
    writeFileSync(at('now.pem'), 'half a file');
    await heard('the former certificates stay: --tls-cert');
    expect(await shown()).toBe('gateway');
    copy('later.key', 'now.key');
    copy('later.pem', 'now.pem');
    await heard('certificates were read again');
    expect(await shown()).toBe('later');
  }, 20_000);
});

describe('the guard certificate', () => {
  test('the app is the one of the common name; flows read the names', async () => {
    const quay = await start();
    expect(await call(`${quay}/partners/`, 'kittiwake')).toEqual({
      status: 200,
      body: {
        app: 'Kittiwake Agency',
        plan: 'Quay',
        who: 'kittiwake',
        names: ['URI:urn:agency:kittiwake', 'DNS:kittiwake.example'],
      },
    });
    expect((await call(`${quay}/partners/`, 'dunlin')).body).toMatchObject({ app: 'dunlin', who: 'dunlin' });
  });

  test.each([
    ['none', undefined],
    ['one of another authority', 'forger'],
  ])('%s is refused at its door, and let in at the one beside it', async (_what, who) => {
    const quay = await start();
    const refused = await call(`${quay}/partners/`, who);
    expect(refused).toMatchObject({
      status: 403,
      body: {
        type: '/problems/hng-419',
        detail: 'A certificate that this gateway trusts is needed when the connection is made (mutual TLS).',
      },
    });
    expect((await call(`${quay}/all/`, who)).status).toBe(200);
  });

  test.each<[string, () => GuardDocument, number, number]>([
    ['a common name', () => ({ kind: 'certificate', names: ['kittiwake'] }), 200, 403],
    ['an alternative name', () => ({ kind: 'certificate', names: ['URI:urn:agency:kittiwake'] }), 200, 403],
    ['a fingerprint', () => ({ kind: 'certificate', fingerprints: [fingerprint('dunlin')] }), 403, 200],
    [
      'one in small letters without colons',
      () => ({ kind: 'certificate', fingerprints: [fingerprint('dunlin').replaceAll(':', '').toLowerCase()] }),
      403,
      200,
    ],
    ['either', () => ({ kind: 'certificate', names: ['kittiwake'], fingerprints: [fingerprint('dunlin')] }), 200, 200],
  ])('only %s', async (_what, guard, kittiwake, dunlin) => {
    const quay = await start(guard());
    expect((await call(`${quay}/partners/`, 'kittiwake')).status).toBe(kittiwake);
    expect((await call(`${quay}/partners/`, 'dunlin')).status).toBe(dunlin);
  });

  test('behind somebody else who ends TLS nobody is let in', async () => {
    const g = await startGateway({
      port: 0,
      config: { revision: '1', apis: [{ slug: 'quay', document: document({ kind: 'certificate' }) }] },
    });
    running.push(g);
    const reply = await fetch(`http://127.0.0.1:${g.port}/partners/`, {
      headers: { 'x-forwarded-client-cert': 'Subject="CN=kittiwake"' },
    });
    expect(reply.status).toBe(403);
  });

  test('exports say so (OpenAPI 3.1 §4.8.27.1)', () => {
    const exported = exportOpenApi(document({ kind: 'certificate' })) as { components: { securitySchemes: object } };
    expect(exported.components.securitySchemes).toEqual({ certificate: { type: 'mutualTLS' } });
  });
});

test('an old version of TLS is not spoken', async () => {
  const quay = await start();
  const dispatcher = new Agent({ connect: { ca: pem('harbour.pem'), maxVersion: 'TLSv1.1', minVersion: 'TLSv1' } });
  await expect(request(`${quay}/all/`, { dispatcher })).rejects.toThrow();
  await dispatcher.destroy();
});

test('a WebSocket before a door that has no topics is answered over TLS too', async () => {
  const quay = await start();
  const socket = new WebSocket(`${quay.replace('https', 'wss')}/all/`, { ca: pem('harbour.pem') });
  const status = await new Promise((resolve) => {
    socket.on('unexpected-response', (asked, reply) => {
      resolve(reply.statusCode);
      asked.destroy();
    });
    socket.on('error', (error) => resolve(error.message));
  });
  expect(status).toBe(200);
});

describe('files', () => {
  test('are read, and what is wrong with them is told', async () => {
    expect(await readTls({})).toBeUndefined();
    expect(await readTls({ cert: at('gateway.pem'), key: at('gateway.key'), ca: at('harbour.pem') })).toEqual({
      cert: pem('gateway.pem'),
      key: pem('gateway.key'),
      ca: pem('harbour.pem'),
    });
    await expect(readTls({ key: at('gateway.key') })).rejects.toThrow('--tls-cert is needed');
    await expect(readTls({ cert: at('gateway.pem') })).rejects.toThrow('--tls-key is needed');
    await expect(readTls({ cert: at('none.pem'), key: at('gateway.key') })).rejects.toThrow('there is no such file');
    await expect(readTls({ cert: at('gateway.ext'), key: at('gateway.key') })).rejects.toThrow('this is no PEM file');
    await expect(readTls({ cert: at('gateway.pem'), key: at('dunlin.key') })).rejects.toThrow('cannot be used');
  });
});
