import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { readText, takeBehaviour, type Behaviour } from '../behaviour';
import type { StandIn } from '../berths/service';
import { calculateDues } from './dues';
import { OWNERS, PILOTS, tidesOf, VESSELS } from './records';

const CONTRACTS = join(dirname(fileURLToPath(import.meta.url)), 'contract');

/** Services of the town, by the first part of the path. */
export const TOWN = ['vessels', 'tides', 'pilots', 'tow', 'barge', 'dues', 'notices'] as const;
export type TownService = (typeof TOWN)[number];

/** The contract of a service as its file has it; notices has none. */
export function townContract(service: TownService): { readonly entry: string; readonly files: Record<string, string> } {
  const entry = service === 'dues' ? 'dues.wsdl' : `${service}.openapi.yaml`;
  return { entry, files: { [entry]: readFileSync(join(CONTRACTS, entry), 'utf8') } };
}

export interface Town extends Omit<StandIn, 'behaviour'> {
  readonly behaviours: Readonly<Record<TownService, Behaviour>>;
}

/**
 * The services around the harbour in one server: `/vessels`, `/tides`, `/pilots`, `/tow`, `/barge`, `/dues`, `/notices`. Each is told how to behave by
 * POST /SERVICE/_behave. Tides takes about a second and Pilots a third of one; every fifth request for the roster finds it busy.
 */
export async function startTown(port = 0, options: { quick?: boolean } = {}): Promise<Town> {
  const behaviours = Object.fromEntries(
    TOWN.map((s): [TownService, Behaviour] => [s, { mode: 'normal', delayMs: 0 }]),
  ) as Record<TownService, Behaviour>;
  const state = { rosters: 0, jobs: 700 };
  const slow = options.quick ? 0 : 1;
  const server = createServer((req, res) => void handle(req, res).catch(() => res.destroy()));

  const handle = async (req: IncomingMessage, res: ServerResponse): Promise<void> => {
    const url = new URL(req.url ?? '/', 'http://127.0.0.1');
    const [, name = '', ...rest] = url.pathname.split('/');
    const service = TOWN.find((s) => s === name);
    if (!service) {
      json(res, 404, { message: `there are ${TOWN.join(', ')}` });
      return;
    }
    const behaviour = behaviours[service];
    if (rest.join('/') === '_behave') {
      req.url = '/_behave';
      await takeBehaviour(req, res, behaviour);
      return;
    }
    const body = req.method === 'POST' || req.method === 'PUT' ? await readText(req) : '';
    await pause(behaviour.delayMs + (service === 'tides' ? 900 * slow : service === 'pilots' ? 300 * slow : 0));
    if (behaviour.mode === 'down') {
      res.destroy();
      return;
    }
    if (behaviour.mode === 'garbled' || behaviour.mode === 'wrong') {
      json(res, 200, behaviour.mode === 'wrong' ? { unexpected: true } : undefined, '<html>not what you think');
      return;
    }
    answers[service](res, {
      method: req.method ?? 'GET',
      path: rest.map(decodeURIComponent),
      query: url.searchParams,
      body,
      state,
    });
  };
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  return {
    port: (server.address() as AddressInfo).port,
    behaviours,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

interface Asked {
  readonly method: string;
  readonly path: readonly string[];
  readonly query: URLSearchParams;
  readonly body: string;
  readonly state: { rosters: number; jobs: number };
}

const pause = (ms: number): Promise<void> => (ms > 0 ? new Promise((r) => setTimeout(r, ms)) : Promise.resolve());

function json(res: ServerResponse, status: number, value: unknown, text?: string): void {
  res.writeHead(status, { 'content-type': 'application/json' });
  res.end(text ?? JSON.stringify(value));
}

function xml(res: ServerResponse, status: number, text: string, mediaType = 'application/xml'): void {
  res.writeHead(status, { 'content-type': `${mediaType}; charset=utf-8` });
  res.end(`<?xml version="1.0" encoding="UTF-8"?>\n${text}`);
}

const nothing = (res: ServerResponse): void => json(res, 404, { message: 'nothing here' });

const answers: Record<TownService, (res: ServerResponse, a: Asked) => void> = {
  vessels(res, { path, query }) {
    const [kind, id] = path;
    if (kind === 'vessels' && id === undefined) {
      const name = query.get('name')?.toLowerCase();
      const these = query.getAll('callNumber');
      const found = VESSELS.filter(
        (v) =>
          (!these.length || these.includes(v.callNumber)) &&
          (!name || v.name.toLowerCase().includes(name)) &&
          (!query.get('kind') || v.kind === query.get('kind')),
      );
      json(res, 200, { total: found.length, vessels: found.slice(0, Number(query.get('limit') ?? 20)) });
      return;
    }
    const vessel = kind === 'vessels' && VESSELS.find((v) => v.callNumber === id);
    const owner = kind === 'owners' && OWNERS.find((o) => o.id === id);
    if (vessel) json(res, 200, vessel);
    else if (owner)
      json(res, 200, { ...owner, vessels: VESSELS.filter((v) => v.owner.id === owner.id).map((v) => v.callNumber) });
    else json(res, 404, { message: `nobody of the number ${id ?? ''}` });
  },

  tides(res, { path }) {
    const [tables, day = ''] = path;
    const tides = tables === 'tables' ? tidesOf(day) : undefined;
    if (!tides) {
      xml(res, 404, `<t:error xmlns:t="urn:tarnhaven:tides:1"><t:reason>no such day</t:reason></t:error>`);
      return;
    }
    const rows = tides.map(
      (t) => `<t:tide kind="${t.kind}" at="${t.at}"><t:heightMetres>${t.heightMetres}</t:heightMetres></t:tide>`,
    );
    xml(
      res,
      200,
      `<t:tideTable xmlns:t="urn:tarnhaven:tides:1" day="${day}" station="Tarnhaven"><t:tides>${rows.join('')}</t:tides></t:tideTable>`,
    );
  },

  pilots(res, { method, path, query, body, state }) {
    if (path[0] === 'roster') {
      if (++state.rosters % 5 === 0) {
        res.setHeader('retry-after', '1');
        json(res, 503, { reason: 'the station is busy' });
        return;
      }
      json(res, 200, { day: query.get('day'), pilots: PILOTS });
    } else if (path[0] === 'bookings' && method === 'POST') {
      const wish = JSON.parse(body) as { vessel?: string };
      json(res, 201, { number: `P-${wish.vessel ?? ''}`, pilot: PILOTS[0] });
    } else nothing(res);
  },

  tow(res, { method, path, body, state }) {
    if (path[0] !== 'tow-orders' || method !== 'POST') {
      nothing(res);
      return;
    }
    const wish = JSON.parse(body) as { lengthMetres: number };
    if (wish.lengthMetres > 220) {
      json(res, 422, { message: 'no tug can hold a ship of this length' });
      return;
    }
    const tugs = wish.lengthMetres > 150 ? ['Stonechat', 'Wheatear', 'Whinchat'] : ['Stonechat', 'Wheatear'];
    json(res, 201, { order: `T-${++state.jobs}`, tugs, priceTal: Math.round(wish.lengthMetres * 1275) / 100 });
  },

  barge(res, { method, path, body, state }) {
    if (path[0] !== 'jobs' || method !== 'POST') {
      nothing(res);
      return;
    }
    const wish = JSON.parse(body) as { craft: { metres?: number } };
    const amount = ((wish.craft.metres ?? 30) * 4.2).toFixed(2);
    json(res, 200, { job: { id: ++state.jobs, boat: 'Dipper', cost: { amount, currency: 'TAL' } } });
  },

  dues(res, { method, body }) {
    if (method === 'GET') {
      xml(res, 200, townContract('dues').files['dues.wsdl']!.replace(/^<\?xml[^>]*\?>\s*/, ''), 'text/xml');
      return;
    }
    const { status, text } = calculateDues(body);
    xml(res, status, text, 'text/xml');
  },

  notices(res, { path }) {
    const n = path[0] ?? '';
    res.writeHead(/^\d*$/.test(n) ? 200 : 404, { 'content-type': 'text/plain; charset=utf-8' });
    res.end(n ? `Notice ${n} to mariners: the West mole is unlit on the night of the ${n}th.\n` : 'Notices 1 to 30\n');
  },
};
