import { afterAll, beforeAll, describe, expect, jest, test } from '@jest/globals';
import { CODES } from '@hinge/core';
import { ESLint } from 'eslint';
import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { startBerths, type StandIn } from '../../stand-ins/src';
import { hingeIn } from './hinge-in';
import { findingsPage, schemaPage } from '../src/publish';

const ROOT = join(dirname(fileURLToPath(import.meta.url)), '../..');
const WSDL = join(ROOT, 'stand-ins/src/berths/contract/berths.wsdl');
const folder = mkdtempSync(join(tmpdir(), 'hinge-command-'));
const file = (name: string, text?: string): string => {
  if (text !== undefined) writeFileSync(join(folder, name), text);
  return join(folder, name);
};
const hinge = hingeIn(folder);
const document = file('berths.hinge.yaml');
let standIn: StandIn;

beforeAll(async () => {
  standIn = await startBerths();
  expect(
    hinge(
      'draft',
      WSDL,
      '--as',
      'rest',
      '--address',
      `http://127.0.0.1:${standIn.port}/soap`,
      '--base',
      '/b/v2',
      '--out',
      document,
    ),
  ).toMatchObject({ code: 0, out: `${document}: 7 operations at /b/v2\n` });
}, 60_000);
afterAll(() => standIn.stop());

describe('draft', () => {
  test('writes a whole document, also as JSON, also from an address', () => {
    const json = file('b.json');
    const url = `http://127.0.0.1:${standIn.port}/soap?wsdl`;
    // The stand-in lives in this process: the command must not be waited for synchronously.
    return new Promise<void>((resolve) => {
      const child = spawn(join(ROOT, 'hinge'), ['draft', url, '--as', 'rest', '--out', json], {
        env: { ...process.env, NODE_OPTIONS: '' },
      });
      child.once('close', (code) => {
        expect(code).toBe(0);
        const d = JSON.parse(readFileSync(json, 'utf8')) as {
          operations: object;
          backends: Record<string, { address: string; contract: { files: object } }>;
        };
        expect(Object.keys(d.operations)).toHaveLength(7);
        expect(Object.values(d.backends)[0]).toMatchObject({
          address: `http://127.0.0.1:${standIn.port}/soap`,
          contract: { files: { 'berths.xsd': expect.any(String) } },
        });
        resolve();
      });
    });
  }, 30_000);

  test('topics from an AsyncAPI document, and back', () => {
    const contract = file(
      'lights.yaml',
      "asyncapi: 3.0.0\ninfo: { title: Quay lights, version: 1.0.0 }\nservers: { town: { host: '127.0.0.1:1883', protocol: mqtt } }\nchannels: { measured: { address: lights/measured, messages: { m: { payload: { type: object, required: [lumens] } } } } }\n",
    );
    const out = file('lights.hinge.yaml');
    expect(hinge('draft', contract, '--as', 'events', '--base', '/lights', '--out', out)).toEqual({
      code: 0,
      out: `${out}: 1 topic at /lights\n`,
      err: '',
    });
    expect(hinge('check', out)).toMatchObject({ code: 0, out: 'no findings\n' });
    expect(JSON.parse(hinge('export', out, '--as', 'asyncapi').out)).toMatchObject({
      asyncapi: '3.0.0',
      channels: { measured: { address: '/lights/lights/measured' } },
      components: { messages: { measured: { payload: { required: ['lumens'] } } } },
    });
  }, 30_000);

  test('a proxy needs an address alone', () => {
    expect(hinge('draft', '--as', 'proxy', '--address', 'http://127.0.0.1:1/', '--out', file('p.yaml'))).toMatchObject({
      code: 0,
    });
    expect(hinge('check', file('p.yaml'))).toMatchObject({ code: 0, out: 'no findings\n' });
  }, 30_000);
});

describe('check', () => {
  test('exit 0 without errors, 1 with one, 2 when the file cannot be read', () => {
    expect(hinge('check', document)).toEqual({ code: 0, out: 'no findings\n', err: '' });
    const broken = file('broken.yaml', readFileSync(document, 'utf8').replace('from: path.id', 'from: path.id &'));
    const r = hinge('check', broken, '--json');
    expect(r.code).toBe(1);
    expect(JSON.parse(r.out)).toMatchObject([
      { code: 'HNG-304', place: { file: broken, pointer: '/operations/GetBerth/flow/0/fields/0/from' } },
    ]);
    expect(hinge('check', file('none.yaml'))).toMatchObject({
      code: 2,
      err: expect.stringMatching(/^hinge: .*there is no file.*\n$/),
    });
    expect(hinge('check', file('torn.yaml', 'a: [1\nb'))).toMatchObject({
      code: 2,
      err: expect.stringContaining('line'),
    });
  }, 60_000);

  test('a contract by relative path is read from beside the document', () => {
    const text = readFileSync(document, 'utf8');
    const start = text.indexOf('      files:');
    const end = text.indexOf('    address:');
    file('berths.wsdl', readFileSync(WSDL, 'utf8'));
    for (const n of ['berths.xsd', 'common.xsd']) file(n, readFileSync(join(dirname(WSDL), n), 'utf8'));
    expect(hinge('check', file('relative.yaml', text.slice(0, start) + text.slice(end)))).toMatchObject({
      code: 0,
      out: 'no findings\n',
    });
  }, 30_000);
});

jest.setTimeout(60_000);

describe('every failure is one clear line, no stack trace, exit code not 0', () => {
  const lines: [string, string[], RegExp][] = [
    ['an unknown command', ['dance'], /unknown command/],
    ['an unknown option', ['check', 'x', '--loud'], /unknown option/],
    ['no file', ['draft', 'nowhere.wsdl', '--as', 'rest', '--out', 'x'], /there is no file nowhere\.wsdl/],
    ['a folder', ['draft', '.', '--as', 'rest', '--out', 'x'], /is a folder/],
    ['an unknown kind', ['draft', WSDL, '--as', 'carrier-pigeon', '--out', 'x'], /--as carrier-pigeon is unknown/],
    [
      'topics from a WSDL',
      ['draft', WSDL, '--as', 'events', '--out', 'x'],
      /berths\.wsdl is XML and no AsyncAPI document/,
    ],
    ['topics of an API without any', ['export', document, '--as', 'asyncapi'], /no door that answers events/],
    ['a base without a slash', ['draft', WSDL, '--as', 'rest', '--base', 'b', '--out', 'x'], /starts with \//],
    ['a port that is none', ['serve', 'x', '--port', 'seven'], /0 to 65535/],
    [
      'an unknown operation',
      ['rehearse', document, '--operation', 'Nope', '--request', document],
      /Nope|not JSON|must stand|beginning/,
    ],
    [
      'a setting for an unknown backend',
      ['serve', document, '--set', 'backend.nope.address=http://a/'],
      /there is no backend nope; there are berths-service/,
    ],
    [
      'an unreachable address',
      ['draft', 'http://127.0.0.1:1/x?wsdl', '--as', 'rest', '--out', 'x'],
      /cannot be fetched: ECONNREFUSED/,
    ],
    ['secrets that are not there', ['serve', document, '--secrets', 'none.yaml'], /there is no file/],
    [
      'a secret that is a number, told without its value',
      ['serve', document, '--secrets', file('number.yaml', 'quay-key: 4711\n')],
      /quay-key is no text; put it in quotes$/m,
    ],
    [
      'secrets that cannot be read, told without a word of them',
      ['serve', document, '--secrets', file('torn-secrets.yaml', 'quay-key: "4711\n')],
      /it cannot be read as YAML or JSON$/m,
    ],
    ['a key without its certificate', ['serve', document, '--tls-key', document], /--tls-cert is needed besides/],
    [
      'a certificate that is none',
      ['serve', document, '--tls-cert', document, '--tls-key', document],
      /--tls-cert .*: this is no PEM file/,
    ],
    ['an unknown test group', ['test', 'everything'], /no test group everything/],
  ];
  test.each(lines)('%s', (_name, args, words) => {
    const r = hinge(...args);
    expect(r.code).not.toBe(0);
    expect(r.err).toMatch(words);
    expect(r.err.trim().split('\n')).toHaveLength(1);
    expect(r.err).toMatch(/^hinge: /);
    expect(r.err).not.toMatch(/\n\s+at /);
  });
});

describe('serve', () => {
  let child: ChildProcess;
  let out = '';
  beforeAll(async () => {
    child = spawn(
      join(ROOT, 'hinge'),
      [
        'serve',
        document,
        '--port',
        '0',
        '--set',
        `backend.berths-service.address=http://127.0.0.1:${standIn.port}/soap`,
      ],
      { env: { ...process.env, NODE_OPTIONS: '' } },
    );
    child.stdout!.on('data', (d: Buffer) => (out += d.toString()));
    for (let i = 0; i < 300 && !out.includes('control on'); i++) await new Promise((r) => setTimeout(r, 50));
  }, 30_000);

  test('says where it listens and each door, answers, and ends with 0 on SIGTERM', async () => {
    const address = /listening on (http:\/\/127\.0\.0\.1:\d+)/.exec(out)![1]!;
    expect(out).toContain(`rest Berths, door public: ${address}/b/v2\n`);
    const r = await fetch(`${address}/b/v2/berths/N-07`, { headers: { officeCode: 'TH-22' } });
    expect(await r.json()).toMatchObject({ berth: { number: 'N-07' } });
    const code = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGTERM');
    expect(await code).toBe(0);
  }, 30_000);
});

describe('rehearse and export', () => {
  test('rehearse prints the reply and every message, digits as they came', async () => {
    const request = file('r.json', JSON.stringify({ path: { id: 'N-07' }, headers: { officeCode: 'TH-22' } }));
    const text = await new Promise<string>((resolve) => {
      let out = '';
      const child = spawn(
        join(ROOT, 'hinge'),
        ['rehearse', document, '--operation', 'GetBerth', '--request', request],
        { env: { ...process.env, NODE_OPTIONS: '' } },
      );
      child.stdout.on('data', (d: Buffer) => (out += d.toString()));
      child.once('close', () => resolve(out));
    });
    expect(text).toContain('"lengthMetres": 118.50');
    const r = JSON.parse(text) as {
      reply: { status: number };
      steps: { at: string; kind: string; before: { mediaType: string }; after: { body: unknown } }[];
    };
    expect(r.reply.status).toBe(200);
    expect(r.steps.map((s) => `${s.at} ${s.kind}`)).toEqual(['/0 map', '/1 call', '/2 map']);
    expect(r.steps[1]!.after.body).toEqual(expect.stringContaining('<b:GetBerthResponse'));
  }, 30_000);

  test('rehearse --all runs every case, tells what does not fit and which line no case reaches; exit 1 when one fails', () => {
    const flow = `hinge: 1
api: { name: Cases, version: "1" }
doors: [{ name: public, path: /c }]
backends: { one: { address: "http://127.0.0.1:1" } }
operations:
  Do:
    method: GET
    path: /x/{id}
    parameters: [{ name: id, in: path, required: true, schema: { type: string } }]
    flow:
      - kind: choose
        lines:
          - { name: long, when: { of: path.id, is: startsWith, value: long }, flow: [{ kind: call, backend: one }] }
          - { name: odd, when: path.id = "odd", flow: [] }
        otherwise: [{ kind: reply, status: 404 }]
cases:
  - { name: stubbed, operation: Do, request: { path: { id: long-1 } }, stubs: [{ backend: one, body: { n: 1 } }], expect: { body: { n: WANTED } } }
  - { name: nobody, operation: Do, request: { path: { id: z } }, expect: { status: 404 } }
`;
    const good = hinge('rehearse', file('cases.hinge.yaml', flow.replace('WANTED', '1')), '--all');
    expect(good.out.replace(/\d+ ms/g, 'N ms')).toBe(
      'passed  1/2  Do, stubbed: 200, N ms\npassed  2/2  Do, nobody: 404, N ms\nHNG-316 info at /operations/Do/flow/0/lines/1/flow: no case reaches the line "odd" of Do. Keep a case whose request takes the line.\n2 passed, 0 failed\n',
    );
    expect(good.code).toBe(0);
    const bad = hinge('rehearse', file('cases.hinge.yaml', flow.replace('WANTED', '2')), '--all', '--json');
    expect(bad.code).toBe(1);
    expect(JSON.parse(bad.out)).toMatchObject({
      results: [{ passed: false, misfits: [{ at: '/n', wanted: '2', found: '1' }] }, { passed: true }],
    });
    expect(hinge('rehearse', document, '--operation', 'GetBerth')).toMatchObject({
      code: 1,
      err: expect.stringContaining('--all'),
    });
  }, 30_000);

  test('several files are checked as one gateway: calls from API to API by the name of the file', () => {
    const inner = file(
      'inner.hinge.yaml',
      'hinge: 1\napi: { name: Inner, version: "1" }\ndoors: []\noperations:\n  Say: { method: GET, path: /say, flow: [{ kind: reply, mediaType: application/json, from: "1" }] }\n',
    );
    const outer = (operation: string) =>
      file(
        'outer.hinge.yaml',
        `hinge: 1\napi: { name: Outer, version: "1" }\ndoors: [{ name: public, path: /o }]\noperations:\n  Do: { method: GET, path: /do, flow: [{ kind: call, api: inner, operation: ${operation} }] }\n`,
      );
    expect(hinge('check', outer('Say'), inner)).toMatchObject({ code: 0, out: expect.stringContaining('HNG-325') });
    const missing = hinge('check', outer('Sing'), inner);
    expect([missing.code, missing.out]).toEqual([
      1,
      expect.stringContaining('there is no operation Sing of inner in this gateway'),
    ]);
  }, 30_000);

  test('export prints OpenAPI 3.1', () => {
    const r = hinge('export', document, '--as', 'openapi');
    expect(JSON.parse(r.out)).toMatchObject({
      openapi: '3.1.0',
      paths: { '/berths/{id}': { get: { operationId: 'GetBerth' } } },
    });
  }, 30_000);
});

describe('what is written about the code is true', () => {
  const read = (name: string) => readFileSync(join(ROOT, name), 'utf8');
  test('docs/findings.md and docs/flow.schema.json are what the code says, both ways', () => {
    expect(read('docs/findings.md')).toBe(findingsPage());
    expect(read('docs/flow.schema.json')).toBe(schemaPage());
    expect([...read('docs/findings.md').matchAll(/^\| `(HNG-\d+)`/gm)].map((m) => m[1])).toEqual(Object.keys(CODES));
  });

  test('every code that the sources use is in the table, and every one of the table is used', () => {
    const sources = spawnSync(
      'grep',
      [
        '-rhoE',
        "'HNG-[0-9]{3}'",
        'core/src',
        'gateway/src',
        'command/src',
        'studio/features',
        'studio/app',
        '--include=*.ts',
        '--include=*.tsx',
        '--exclude=*codes.ts',
      ],
      { cwd: ROOT, encoding: 'utf8' },
    ).stdout;
    const used = new Set([...sources.matchAll(/HNG-\d+/g)].map((m) => m[0]));
    expect([...used].filter((c) => !(c in CODES))).toEqual([]);
    expect(Object.keys(CODES).filter((c) => !used.has(c))).toEqual([]);
  });

  test('a forbidden import and a circle are errors of the linter', async () => {
    const eslint = new ESLint({ cwd: ROOT });
    const told = async (text: string, at: string) =>
      (await eslint.lintText(text, { filePath: join(ROOT, at) })).flatMap((r) => r.messages.map((m) => m.ruleId));
    expect(
      await told(
        "import { startGateway } from '@hinge/gateway';\nexport const x = startGateway;\n",
        'core/src/limits.ts',
      ),
    ).toContain('no-restricted-imports');
    expect(
      await told("import { useState } from 'react';\nexport const x = useState;\n", 'core/src/limits.ts'),
    ).toContain('no-restricted-imports');
    expect(
      await told("import { readFileSync } from 'node:fs';\nexport const x = readFileSync;\n", 'core/src/limits.ts'),
    ).toContain('no-restricted-imports');
    expect(
      await told(
        "import { database } from '../../studio/db/client';\nexport const x = database;\n",
        'gateway/src/limits.ts',
      ),
    ).toContain('no-restricted-imports');
    expect(
      await told(
        "import { startGateway } from './gateway';\nexport const x = startGateway;\n",
        'gateway/src/backends.ts',
      ),
    ).toContain('import-x/no-cycle');
  }, 120_000);
});
