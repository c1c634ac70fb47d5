import jsonata from 'jsonata';
import { compileExpression } from '@hinge/core';

/** `npm run bench:expressions`: our closures against the jsonata library on the same input; the middle of five rounds in turn. */
const input = {
  body: {
    vessel: { name: 'Alca', callNumber: 'TH-2207', length: 118.5, beam: 17.25 },
    stay: { from: '2026-12-04T05:30:00+01:00', to: '2026-12-06T18:00:00+01:00' },
    items: Array.from({ length: 20 }, (_, i) => ({ id: `B-${i}`, tons: i * 1.5, kind: i % 3 ? 'bulk' : 'box' })),
  },
  query: { limit: 10 },
};
const JOBS: readonly (readonly [string, string])[] = [
  ['path', 'body.vessel.name'],
  ['arithmetic', 'body.vessel.length * body.vessel.beam / 2 + query.limit'],
  ['text', '$uppercase(body.vessel.name) & "-" & $substring(body.vessel.callNumber, 3)'],
  [
    'object',
    '{"ship": body.vessel.name, "size": {"l": body.vessel.length, "b": body.vessel.beam}, "from": body.stay.from}',
  ],
  ['condition', 'body.vessel.length > 100 and body.stay.from < body.stay.to ? "long" : "short"'],
  ['list of 20 mapped', 'body.items.{"id": id, "tons": tons}'],
  ['predicate over 20', 'body.items[kind = "box" and tons > 5].id'],
  ['sum of 20', '$sum(body.items.tons)'],
  ['lambda over 20', '$map(body.items, function($i){$i.tons * 2})'],
  ['sorted 20', 'body.items^(>tons).id'],
];
const middle = (v: readonly number[]): number => [...v].sort((a, b) => a - b)[v.length >> 1]!;

console.log(
  `Node ${process.version}; nanoseconds an evaluation, the middle of five rounds in turn; the peer is jsonata`,
);
for (const [name, source] of JOBS) {
  const ours = compileExpression(source);
  if (!ours.compiled) throw new Error(`${source} is left to the library`);
  const library = jsonata(source);
  const times: [number[], number[]] = [[], []];
  for (let round = 0; round < 6; round++) {
    const fast = 20_000;
    let t = process.hrtime.bigint();
    for (let i = 0; i < fast; i++) ours.evaluate(input);
    const a = Number(process.hrtime.bigint() - t) / fast;
    const slow = 600;
    t = process.hrtime.bigint();
    for (let i = 0; i < slow; i++) await library.evaluate(input);
    const b = Number(process.hrtime.bigint() - t) / slow;
    if (round === 0) continue;
    times[0].push(a);
    times[1].push(b);
  }
  const [a, b] = [middle(times[0]), middle(times[1])];
  console.log(
    `${name.padEnd(20)} ours ${a.toFixed(0).padStart(7)}   jsonata ${b.toFixed(0).padStart(9)}   ${(b / a).toFixed(0)} x`,
  );
}
