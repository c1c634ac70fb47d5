import { describe, expect, test } from '@jest/globals';
import { mkdtempSync, readFileSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { hingeIn } from './hinge-in';

const folder = mkdtempSync(join(tmpdir(), 'hinge-told-'));
const file = (name: string): string => join(folder, name);
const hinge = hingeIn(folder);

describe('guards', () => {
  test('every way in with what acts there, and where it was set; never a secret', () => {
    writeFileSync(
      file('guarded.hinge.yaml'),
      `hinge: 1
api: { name: Guarded, version: '1' }
guards: [{ kind: schema }]
doors:
  - { name: public, path: /g, guards: [{ kind: key, header: x-key }] }
plans: { gold: { guards: [{ kind: rate, calls: 5, seconds: 1 }] } }
backends: { one: { address: 'http://127.0.0.1:1' } }
operations:
  Read: { method: GET, path: /a, flow: [{ kind: call, backend: one }] }
  Health: { method: GET, path: /health, guards: [{ kind: key, off: true }], flow: [{ kind: call, backend: one }] }
`,
    );
    const { code, out, err } = hinge('guards', 'guarded.hinge.yaml');
    expect([code, err]).toEqual([0, '']);
    expect(out.split('\n')).toEqual([
      'guarded.hinge.yaml: Guarded 1',
      '  GET /g/a  Read, door public',
      '    key          header x-key  from the door public',
      '    schema       from the API, for all doors',
      '  GET /g/health  Health, door public  (open: nobody is asked who calls)',
      '    schema       from the API, for all doors',
      '  plan gold, for its apps besides',
      '    rate         calls 5, seconds 1',
      '',
    ]);
    const [told] = JSON.parse(hinge('guards', 'guarded.hinge.yaml', '--json').out) as { ways: { open: boolean }[] }[];
    expect(told!.ways.map((w) => w.open)).toEqual([false, true]);
    expect(hinge('guards', 'nowhere.yaml')).toMatchObject({ code: 1, err: expect.stringContaining('nowhere.yaml') });
  });
});

describe('check', () => {
  test('line and column of the key, for what the contracts say too', () => {
    writeFileSync(
      file('places.hinge.yaml'),
      `hinge: 1
api: { name: Places, version: '1' }
doors: [{ name: public, path: /p }]
operations:
  Read:
    method: GET
    path: /a
    flow:
      - kind: set
        values:
          x: $nosuch(1)
      - { kind: call, bakend: one }
`,
    );
    const bad = hinge('check', 'places.hinge.yaml');
    expect([bad.code, bad.out]).toEqual([
      1,
      'HNG-202 error at places.hinge.yaml, line 12, column 23, /operations/Read/flow/1/bakend: operations.Read.flow.1.bakend: there is no member "bakend" here. Write backend?\n',
    ]);
    writeFileSync(
      file('places.hinge.yaml'),
      readFileSync(file('places.hinge.yaml'), 'utf8').replace('bakend', 'backend'),
    );
    const out = hinge('check', 'places.hinge.yaml').out.split('\n');
    expect(out[0]).toContain(
      'HNG-304 error at places.hinge.yaml, line 11, column 11, /operations/Read/flow/0/values/x, character 1: ',
    );
    expect(out[1]).toContain(
      'HNG-302 error at places.hinge.yaml, line 12, column 23, /operations/Read/flow/1/backend: ',
    );
  });
});
