import { demoApis, wholeDocument } from '@hinge/demo';
import { writeDocument } from '@hinge/core';
import { mkdtempSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { at, compare, HERE, HINGE, machine, ROOT, start, startCopies, stopAll, urlOf } from './servers';

/**
 * `npm run bench:graph [seconds]`: a nested query over four stand-ins (SOAP, JSON, XML, JSON) through the gateway, and through the same schema written by hand with
 * `graphql` and `dataloader`. Calls of the backends are counted; the answers must be equal.
 */
const QUERY = `{
  reservations: listReservations(officeCode: "TH-22") { reservation { number berth vessel { callNumber vessel { name lengthMetres ownerDetails { name } } } } }
  fleet: searchVessels { total vessels { callNumber name kind lengthMetres ownerDetails { name vessels } } }
  lies: getBerth(id: "N-07", officeCode: "TH-22") { berth { number quay depthMetres } }
  tides: getTideTable(day: "2026-12-04") { station tides { kind at heightMetres } }
  pilots: getRoster(day: "2026-12-04") { pilots { name free } }
  vessel: getVessel(callNumber: "TV-40213") { name kind }
  again: getVessel(callNumber: "TV-40213") { lengthMetres ownerDetails { name vessels } }
}`.replace(/\s+/g, ' ');

try {
  machine();
  const backend = await start('stand-ins', [join(HERE, 'servers/harbour.ts')], /port (\d+)/);
  const origin = `http://127.0.0.1:${backend.port}`;
  const file = join(mkdtempSync(join(tmpdir(), 'hinge-bench-')), 'graph.hinge.yaml');
  writeFileSync(
    file,
    writeDocument(wholeDocument(demoApis()['harbour-graph']!, { berths: `${origin}/soap`, town: origin })),
  );
  const gateways = await startCopies(
    'gateway',
    [HINGE, 'serve', file, '--port', '0'],
    /listening on http:\/\/127\.0\.0\.1:(\d+)/,
  );
  const wsdl = join(ROOT, 'stand-ins/src/berths/contract/berths.wsdl');
  const peers = await startCopies(
    'graphql + dataloader',
    [join(HERE, 'servers/graphql-loader.ts'), wsdl, origin],
    /port (\d+)/,
  );
  const headers = { accept: 'application/graphql-response+json' };
  const query = `?query=${encodeURIComponent(QUERY)}`;
  const both = [at(gateways, `/graph${query}`), at(peers, `/${query}`)];
  const answers: string[] = [];
  for (const contender of both) {
    const server = contender.servers[0]!;
    await (await fetch(`${origin}/_count`)).text();
    answers.push(canonical(await (await fetch(urlOf(server, contender), { headers })).json()));
    console.log(`${server.name}: ${await (await fetch(`${origin}/_count`)).text()} calls of backends for one query`);
  }
  if (answers[0] !== answers[1]) throw new Error(`the answers differ:\n${answers.join('\n')}`);
  console.log(`both answers are equal, ${answers[0]!.length} characters`);
  await compare('nested query over four stand-ins', both, headers);
} finally {
  stopAll();
}

/** Numbers by value: 112.40 and 112.4 are one. */
function canonical(value: unknown): string {
  return JSON.stringify(value, (_k, v: unknown) =>
    typeof v === 'string' && /^-?\d+(\.\d+)?$/.test(v) ? Number(v) : v,
  );
}
