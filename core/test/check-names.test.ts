import { describe, expect, test } from '@jest/globals';
import jsonata from 'jsonata';
import { checkDocument, compileApi, readDocument, type FlowDocument, type StepDocument } from '../src';
import { argumentsOf, FUNCTION_SIGNATURES } from '../src/expression';
import { insteadOf, nearest } from '../src/nearest';
import { world } from './small-world';

const document = (flow: StepDocument[], more: Partial<FlowDocument> = {}): FlowDocument =>
  ({
    hinge: 1,
    api: { name: 'T', version: '1' },
    doors: [{ name: 'open', path: '/t' }],
    backends: { one: { address: 'http://127.0.0.1:1' } },
    operations: { Do: { method: 'GET', path: '/do/*', flow } },
    ...more,
  }) as FlowDocument;
const call: StepDocument = { kind: 'call', backend: 'one' };
const set = (from: string, name = 'v'): StepDocument => ({ kind: 'set', values: { [name]: from } });
const found = (flow: StepDocument[], more: Partial<FlowDocument> = {}) =>
  checkDocument(document(flow, more)).map((f) => `${f.code} ${f.place.pointer} ${f.message}`);
const of = (source: string): string[] =>
  checkDocument(document([set('1', 'known'), set(source), call]))
    .filter((f) => f.place.pointer?.startsWith('/operations/Do/flow/1'))
    .map((f) => `${f.code}@${f.place.position ?? ''} ${f.message.replace(/^"[^]*": (?=there|\$)/, '')} | ${f.remedy}`);

describe('functions', () => {
  test('the table is that of the library', async () => {
    for (const [name, signature] of Object.entries(FUNCTION_SIGNATURES)) {
      const f = (await jsonata(`$${name}`).evaluate({})) as { signature: { definition: string } };
      const own = f.signature.definition
        .slice(1, -1)
        .replace(/:[a-z]+(<[a-z]+>)?$/, '')
        .replace(/f<[^>]*>/g, 'f')
        .replace(/:$/, '');
      expect([name, own.replace(/:.*/, '')]).toEqual([name, signature]);
    }
  });

  test.each(Object.keys(FUNCTION_SIGNATURES).filter((n) => n !== 'eval'))(
    'the library refuses $%s with as many arguments as we say',
    async (name) => {
      const { least, most } = argumentsOf(name)!;
      const refused = async (n: number): Promise<boolean> => {
        const source = `$${name}(${Array.from({ length: n }, (_, i) => `a${i}`).join(',')})`;
        try {
          await jsonata(source).evaluate({});
          return false;
        } catch (error) {
          return (error as { code: string }).code === 'T0410';
        }
      };
      if (most !== Infinity) expect(await refused(most + 1)).toBe(true);
      if (least > 0 && !['each', 'sift'].includes(name)) expect(await refused(least - 1)).toBe(true);
    },
  );

  test.each([
    ['$nosuch(1)', 'HNG-304@0 there is no function $nosuch'],
    ['1 + $uppercas("a")', 'HNG-304@4 there is no function $uppercas | Write $uppercase?'],
    ['$string(1, true, 3)', 'HNG-304@0 $string takes 0 to 2 arguments, and gets 3'],
    ['$pad()', 'HNG-304@0 $pad takes 1 to 3 arguments, and gets 0'],
    ['"a" ~> $pad(1, "x", 3)', 'HNG-304@7 $pad takes 1 to 3 arguments, and gets 4'],
    ['$now(1, 2, 3)', 'HNG-304@0 $now takes 0 to 2 arguments, and gets 3'],
    ['$random(1)', 'HNG-304@0 $random takes no argument, and gets 1'],
    ['$zip()', 'HNG-304@0 $zip takes 1 arguments or more, and gets 0'],
    ['headers.x.$foo(1)', 'HNG-304@10 there is no function $foo'],
    ['$map([1], function($x) { $y })', 'HNG-304@25 there is no variable $y | Write $x?'],
    ['($f := function($x) { $g($x) }; $f(1))', 'HNG-304@22 there is no function $g | Write $f?'],
    ['[1,2][$q = 1]', 'HNG-304@6 there is no variable $q'],
    ['headers ~> |$|{"a": $bar(1)}|', 'HNG-304@20 there is no function $bar'],
  ])('%s', (source, words) => {
    const all = of(source);
    expect(all).toHaveLength(1);
    expect(all[0]).toContain(words);
  });

  test.each([
    '$pad("a", 3)',
    '"a" ~> $pad(3)',
    '$length("a")',
    '"abc" ~> $length()',
    '"abc" ~> $length',
    '($x := 1; $x + 1)',
    '($f := function($x) { $x < 1 ? 0 : $f($x - 1) }; $f(3))',
    '($pad := function() { 1 }; $pad())',
    '$map([1,2], function($v, $i, $a) { $v + $i + $count($a) })',
    '[1,2]#$i.($i)',
    '([{"a":1}])@$b.($b.a)',
    '($twice := $substring(?, 0, 2); $twice("abc"))',
    '$reduce([1,2], function($a, $b) { $a + $b }, 0)',
    '$zip([1],[2],[3],[4])',
    '$$.headers.x',
    '$.headers.x',
    '$sort([3,1], function($l, $r) { $l > $r })',
    '$now()',
  ])('%s is right', (source) => expect(of(source)).toEqual([]));
});

describe('what nothing has set', () => {
  test('variables', () => {
    expect(found([set('vars.nobody'), call])).toEqual([
      'HNG-337 /operations/Do/flow/0/values/v no step sets vars.nobody',
    ]);
    expect(of('vars.knwon')[0]).toBe('HNG-337@ no step sets vars.knwon | Write known?');
    expect(found([set('1', 'a'), set('vars.a'), call])).toEqual([]);
  });

  test('those that steps set by themselves', () => {
    const each: StepDocument = {
      kind: 'each',
      items: 'headers.x',
      flow: [set('vars.item & vars.index', 'made'), call],
    } as StepDocument;
    expect(found([each])).toEqual([]);
    expect(found([{ ...each, as: 'berth' } as StepDocument])).toEqual([
      'HNG-337 /operations/Do/flow/0/flow/0/values/made no step sets vars.item',
    ]);
    const attempt = (name: string): StepDocument => ({
      kind: 'attempt',
      flow: [call],
      failures: [{ on: ['any'], when: `vars.${name}.status = 503`, flow: [{ kind: 'reply', status: 200 }] }],
    });
    expect(found([attempt('failure')])).toEqual([]);
    expect(found([attempt('failed')]).join()).toContain('HNG-337');
  });

  test('steps: there is none, it comes later, it goes on, it comes from a door', () => {
    const named = (name: string): StepDocument => ({ ...call, name });
    expect(found([named('a'), set('steps.a.body'), call])).toEqual([]);
    expect(found([set('steps.request.body'), call])).toEqual([]);
    expect(found([named('a'), set('steps.b.body'), call])).toEqual([
      'HNG-337 /operations/Do/flow/1/values/v there is no step of the name b',
    ]);
    expect(found([set('steps.a.body'), named('a')])).toEqual([
      'HNG-337 /operations/Do/flow/0/values/v the step a has not ended when this is read',
    ]);
    expect(
      found([{ kind: 'attempt', name: 'a', flow: [set('steps.a.body'), call], failures: [] }]).filter((f) =>
        f.startsWith('HNG-337'),
      ),
    ).toEqual(['HNG-337 /operations/Do/flow/0/flow/0/values/v the step a has not ended when this is read']);
    expect(
      found([set('steps.early.headers'), call], {
        doors: [{ name: 'open', path: '/t', before: [{ ...set('1'), name: 'early' }] }],
      } as Partial<FlowDocument>),
    ).toEqual([]);
  });

  test('steps off do not count; lines of a gather do', () => {
    expect(found([{ ...call, name: 'a', off: true }, set('steps.a.body'), call]).join()).toContain('HNG-337');
    const gather: StepDocument = { kind: 'gather', lines: [{ name: 'left', flow: [call] }] };
    expect(found([gather, set('steps.left.status'), { kind: 'reply', status: 200 }])).toEqual([]);
  });

  test('flows that run inside of one another know what the other has set', () => {
    const inner = {
      method: 'GET',
      path: '/in',
      internal: true,
      flow: [set('vars.outer', 'inner'), { ...call, name: 'got' }],
    };
    const flow: StepDocument[] = [
      set('1', 'outer'),
      { kind: 'call', operation: 'In' },
      set('vars.inner', 'v'),
      { kind: 'reply', status: 200 },
    ];
    const more = {
      operations: { Do: { method: 'GET', path: '/do', flow }, In: inner },
    } as unknown as Partial<FlowDocument>;
    expect(found([], more).filter((f) => f.startsWith('HNG-337'))).toEqual([]);
    flow[2] = set('vars.nobody', 'v');
    expect(found([], more).filter((f) => f.startsWith('HNG-337'))).toHaveLength(1);
  });

  test('what an attempt did is read in what it does instead', () => {
    const flow: StepDocument[] = [
      {
        kind: 'attempt',
        flow: [{ ...call, name: 'tried' }],
        failures: [{ on: ['any'], flow: [set('steps.tried.status'), { kind: 'reply', status: 200 }] }],
      },
    ];
    expect(found(flow)).toEqual([]);
  });
});

describe('names, plans, order', () => {
  const named = (name: string): StepDocument => ({ ...call, name });
  test('two steps of one name; not in two lines of a choose', () => {
    expect(found([named('a'), named('a')])).toEqual([
      'HNG-326 /operations/Do/flow/1/name two steps are named a; steps.a is the last that ran',
    ]);
    const choose: StepDocument = {
      kind: 'choose',
      lines: [{ when: 'true', flow: [named('a')] }],
      otherwise: [named('a')],
    };
    expect(found([choose])).toEqual([]);
    expect(found([choose, named('a')]).filter((f) => f.startsWith('HNG-326'))).toHaveLength(1);
  });

  test('plans of apps and cases', () => {
    const more = {
      plans: { gold: { name: 'Gold' } },
      apps: { a: { plan: 'gold', keys: [] }, b: { plan: 'glod', keys: [] } },
      cases: [
        { name: 'x', operation: 'Do', request: {}, app: { id: 'a', plan: 'Gold' } },
        { name: 'y', operation: 'Do', request: {}, app: { id: 'a', plan: 'silver' } },
      ],
    } as unknown as Partial<FlowDocument>;
    expect(found([call], more)).toEqual([
      'HNG-338 /apps/b/plan there is no plan glod',
      'HNG-338 /cases/1/app/plan there is no plan silver',
    ]);
  });

  test('a request is written behind the last call', () => {
    const map: StepDocument = { kind: 'map', to: 'request', fields: [{ to: '/headers/x', from: '"1"' }] };
    const reply: StepDocument = { kind: 'reply', status: 200 };
    expect(found([map, call])).toEqual([]);
    expect(found([call, map, call])).toEqual([]);
    expect(found([call, map, reply])).toEqual([
      'HNG-340 /operations/Do/flow/1/to the map writes a request, and no call comes behind it',
    ]);
    expect(
      found([call], {
        doors: [{ name: 'open', path: '/t', after: [map] }],
      } as Partial<FlowDocument>),
    ).toEqual(['HNG-340 /doors/0/after/0/to the map writes a request, and no call comes behind it']);
  });
});

describe('braces', () => {
  test.each<[string, StepDocument, string[]]>([
    [
      'in the body of a reply',
      { kind: 'reply', body: { a: ['{{ headers.x }}'] }, mediaType: 'application/json' },
      ['HNG-339 /operations/Do/flow/0/body/a/0'],
    ],
    [
      'in an expression',
      { kind: 'reply', from: '{{ headers.x }}', mediaType: 'application/json' },
      ['HNG-304 /operations/Do/flow/0/from', 'HNG-339 /operations/Do/flow/0/from'],
    ],
    ['in a template', { kind: 'reply', template: '{"a": {{ headers.x }}}', mediaType: 'application/json' }, []],
    ['in a header', { kind: 'reply', headers: { x: '{{ headers.x }}' } }, []],
    ['in a note', { kind: 'reply', note: 'as {{ x }}' }, []],
    [
      'never closed',
      { kind: 'reply', template: 'a {{ headers.x', mediaType: 'text/plain' },
      ['HNG-323 /operations/Do/flow/0/template'],
    ],
    [
      'never closed in a header',
      { kind: 'reply', headers: { x: 'a {{ b' } },
      ['HNG-323 /operations/Do/flow/0/headers/x'],
    ],
    [
      'JSON that ends in two',
      { kind: 'reply', template: '{"a": {"b": {{ headers.x }}}}', mediaType: 'application/json' },
      [],
    ],
    [
      'a secret in a path',
      { kind: 'call', backend: 'one', path: '/x?a=1&api_key=abcdef' },
      ['HNG-318 /operations/Do/flow/0/path'],
    ],
    ['one of the environment', { kind: 'call', backend: 'one', path: '/x?api_key={{env.KEY}}' }, []],
    [
      'a secret in the header of a reply',
      { kind: 'reply', headers: { 'x-api-key': 'abcdef' } },
      ['HNG-318 /operations/Do/flow/0/headers/x-api-key'],
    ],
  ])('%s', (_name, step, codes) => {
    expect(found([step]).map((f) => f.split(' ').slice(0, 2).join(' '))).toEqual(codes);
  });

  test('in guards, wherever they stand', () => {
    const guards = [{ kind: 'key', header: 'x', query: '{{ env.K }}' }];
    const more = {
      guards,
      plans: { a: { guards } },
      doors: [{ name: 'open', path: '/t', guards }],
    } as unknown as Partial<FlowDocument>;
    expect(found([call], more).map((f) => f.split(' ').slice(0, 2).join(' '))).toEqual([
      'HNG-339 /guards/0/query',
      'HNG-339 /doors/0/guards/0/query',
      'HNG-339 /plans/a/guards/0/query',
    ]);
  });

  test('in the address of a backend', () => {
    const backends = { one: { address: 'http://{{ env.HOST }}/' } };
    expect(found([call], { backends }).map((f) => f.slice(0, 30))).toContain('HNG-339 /backends/one/address ');
  });
});

describe('references', () => {
  const lost = (schema: object, types?: object) =>
    found([call], {
      types: types as never,
      operations: { Do: { method: 'POST', path: '/x', request: { schema }, flow: [call] } },
    } as Partial<FlowDocument>);
  test.each<[string, object, number]>([
    ['a type that there is', { $ref: '#/types/Berth' }, 0],
    ['none', { $ref: '#/types/Brth' }, 1],
    ['deep', { properties: { a: { items: { anyOf: [{ $ref: '#/types/No' }] } } } }, 1],
    ['of another form', { $ref: '#/$defs/x' }, 1],
    [
      'a form that a discriminator names',
      { oneOf: [], discriminator: { propertyName: 'k', mapping: { a: '#/types/Berth', b: '#/types/No', c: 'Berth' } } },
      2,
    ],
    ['another document', { $ref: 'other.json' }, 1],
    ['a member of that name', { properties: { $ref: { type: 'string' } } }, 0],
    [
      'a value of that name',
      { const: { $ref: 'x' }, enum: [{ $ref: 'x' }], examples: [{ $ref: 'x' }], default: { $ref: 'x' } },
      0,
    ],
    [
      'in not, if and contains',
      { not: { $ref: '#/types/A' }, if: { $ref: '#/types/B' }, contains: { $ref: '#/types/C' } },
      3,
    ],
  ])('%s', (_name, schema, n) => {
    const all = lost(schema, { Berth: { type: 'object' } }).filter((f) => f.startsWith('HNG-341'));
    expect(all).toHaveLength(n);
  });

  test('a misspelled one is told what there is; it is not served', () => {
    const d = document([call], { types: { Berth: { $ref: '#/types/Brth' } } });
    expect(checkDocument(d).map((f) => [f.code, f.place.pointer, f.remedy])).toEqual([
      ['HNG-341', '/types/Berth/$ref', 'Write Berth?'],
    ]);
    expect(() => compileApi(d)).toThrow(/there is no type Brth/);
  });
});

describe('what would let everything through', () => {
  test('a check against a type that there is not refuses', async () => {
    const d = document([{ kind: 'check', against: { type: 'Brth' } }, call]);
    expect(checkDocument(d).map((f) => f.code)).toContain('HNG-302');
    const w = world({ ...d, operations: { Do: { ...d.operations.Do!, path: '/x/{id}' } } });
    expect([(await w.run()).reply.status, w.sent]).toEqual([500, []]);
  });

  test.each(['999.1.1.1', '10.0.0.0/33', '::g', '1.2.3.4.5', '2001:db8::/129', ':', '10.0.0/'])(
    'the network %s is told when the document is read',
    (allow) => {
      const d = { ...document([call]), guards: [{ kind: 'network', allow: [allow] }] };
      const [first] = readDocument(JSON.stringify(d)).findings;
      expect([first?.code, first?.place.pointer]).toEqual(['HNG-202', '/guards/0/allow/0']);
    },
  );
});

describe('the nearest word', () => {
  test.each([
    ['bakend', ['backend', 'kind'], 'backend'],
    ['Backend', ['backend'], 'backend'],
    ['xyz', ['backend', 'kind'], undefined],
    ['a', [], undefined],
    ['x'.repeat(1000), ['x'], undefined],
  ])('%s', (word, known, near) => expect(nearest(word, known)).toBe(near));
  test('without one, what there is', () => {
    expect(insteadOf('q', ['alpha', 'beta'])).toBe('There are alpha, beta.');
    expect(
      insteadOf(
        'q',
        Array.from({ length: 15 }, (_, i) => `name${i}`),
      ),
    ).toMatch(/ and 3 more\.$/);
  });
});
