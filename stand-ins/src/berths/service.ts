import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { XmlDocument, XmlElement, type XsdValidator } from 'libxml2-wasm';
import { readText, takeBehaviour, type Behaviour } from '../behaviour';
import { openSchema } from '../schema';
import { BerthTaken, Harbour, Unknown, type Berth, type Reservation } from './harbour';

const HERE = dirname(fileURLToPath(import.meta.url));
export const BERTHS_CONTRACT = join(HERE, 'contract');
export const BERTHS_FILES = ['berths.wsdl', 'berths.xsd', 'common.xsd'] as const;

const B = 'urn:tarnhaven:berths:2';
const SOAP = {
  '1.1': 'http://schemas.xmlsoap.org/soap/envelope/',
  '1.2': 'http://www.w3.org/2003/05/soap-envelope',
} as const;
type Version = keyof typeof SOAP;
const NAMES = { b: B, c: 'urn:tarnhaven:common:1' };

class Fault extends Error {
  constructor(
    readonly sender: boolean,
    message: string,
    readonly detail = '',
  ) {
    super(message);
  }
}

export interface StandIn {
  readonly port: number;
  readonly behaviour: Behaviour;
  stop(): Promise<void>;
}

/** The Berths stand-in: a real SOAP 1.1 and 1.2 service that validates every request with libxml2. Port 0 takes any. */
export async function startBerths(port = 0): Promise<StandIn> {
  const behaviour: Behaviour = { mode: 'normal', delayMs: 0 };
  const service = new BerthsService();
  const server = createServer((req, res) => void handle(req, res, service, behaviour).catch(() => res.destroy()));
  await new Promise<void>((resolve, reject) => {
    server.once('error', reject);
    server.listen(port, '127.0.0.1', resolve);
  });
  return {
    port: (server.address() as AddressInfo).port,
    behaviour,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

async function handle(
  req: IncomingMessage,
  res: ServerResponse,
  service: BerthsService,
  behaviour: Behaviour,
): Promise<void> {
  if (await takeBehaviour(req, res, behaviour)) return;
  const url = new URL(req.url ?? '/', 'http://127.0.0.1');
  if (req.method === 'GET') {
    serveContract(url, res, req);
    return;
  }
  const text = await readText(req);
  if (behaviour.delayMs > 0) await new Promise((resolve) => setTimeout(resolve, behaviour.delayMs));
  if (behaviour.mode === 'down') {
    res.destroy();
    return;
  }
  const version: Version = url.pathname === '/soap12' ? '1.2' : '1.1';
  const { status, body } = service.answer(version, text, behaviour.mode === 'wrong');
  const reply = Buffer.from(behaviour.mode === 'garbled' ? `<html>${body}` : body);
  res.writeHead(status, {
    'content-type': version === '1.1' ? 'text/xml; charset=utf-8' : 'application/soap+xml; charset=utf-8',
    'content-length': reply.length,
  });
  if (behaviour.mode === 'cut') {
    res.write(reply.subarray(0, reply.length >> 1));
    setTimeout(() => res.destroy(), 20);
  } else res.end(reply);
}

/** GET ?wsdl and the schemas beside it, addresses set to where this process listens. */
function serveContract(url: URL, res: ServerResponse, req: IncomingMessage): void {
  const name = url.searchParams.has('wsdl') ? 'berths.wsdl' : url.pathname.slice(1);
  if (!(BERTHS_FILES as readonly string[]).includes(name)) {
    res.writeHead(404, { 'content-type': 'text/plain' });
    res.end('SOAP at /soap and /soap12, contract at /soap?wsdl\n');
    return;
  }
  const text = readFileSync(join(BERTHS_CONTRACT, name), 'utf8').replaceAll(
    'http://127.0.0.1:4331',
    `http://${req.headers.host}`,
  );
  res.writeHead(200, { 'content-type': 'text/xml; charset=utf-8' });
  res.end(text);
}

class BerthsService {
  private readonly harbour = new Harbour();
  private readonly schema: XsdValidator = openSchema(BERTHS_CONTRACT, 'berths.xsd', ['berths.xsd', 'common.xsd']);

  answer(version: Version, text: string, wrong: boolean): { status: number; body: string } {
    try {
      const inner = this.run(version, text);
      return {
        status: 200,
        body: envelope(
          version,
          wrong
            ? inner.replace(/<b:(state|depthMetres)>[^<]*<\/b:\1>/g, '').replace(/<b:total>\d+/, '<b:total>many')
            : inner,
        ),
      };
    } catch (error) {
      const fault = error instanceof Fault ? error : new Fault(false, (error as Error).message);
      // SOAP 1.1 §6.2: faults come with status 500; SOAP 1.2 Part 2 §7.5.2.2: the sender's with 400.
      return {
        status: version === '1.2' && fault.sender ? 400 : 500,
        body: envelope(version, faultXml(version, fault)),
      };
    }
  }

  private run(version: Version, text: string): string {
    let doc: XmlDocument;
    try {
      doc = XmlDocument.fromString(text);
    } catch (error) {
      throw new Fault(true, `The request is not XML: ${(error as Error).message}`);
    }
    try {
      const ns = { s: SOAP[version], ...NAMES };
      const code = doc.get('/s:Envelope/s:Header/b:officeCode', ns);
      if (!code) throw new Fault(true, 'The header officeCode is missing');
      const body = doc.get('/s:Envelope/s:Body/*', ns);
      if (!(body instanceof XmlElement)) throw new Fault(true, 'The body is empty');
      try {
        this.schema.validate(code as XmlElement);
        this.schema.validate(body);
      } catch (error) {
        throw new Fault(true, `The request breaks the schema: ${(error as Error).message.split('\n')[0]}`);
      }
      return this.operation(body.name, (path) => body.find(path, NAMES).map((n) => n.content));
    } finally {
      doc.dispose();
    }
  }

  private operation(name: string, all: (path: string) => string[]): string {
    const one = (path: string): string | undefined => all(path)[0];
    try {
      switch (name) {
        case 'FindBerths': {
          const depth = one('b:criteria/b:minDepthMetres');
          const open = one('b:criteria/b:openOnly');
          const found = this.harbour.find({
            quay: one('b:criteria/b:quay'),
            minDepth: depth === undefined ? undefined : Number(depth),
            services: all('b:criteria/b:service'),
            openOnly: open === 'true' || open === '1',
          });
          return response(name, `<b:total>${found.length}</b:total>${found.map(berthXml).join('')}`);
        }
        case 'GetBerth':
          return response(name, berthXml(this.harbour.berth(one('b:id')!)));
        case 'ReserveBerth':
          return response(name, reservationXml(this.harbour.reserve(wish(one, all))));
        case 'AmendReservation':
          return response(
            name,
            reservationXml(
              this.harbour.amend(one('b:reservationNumber')!, one('b:stay/c:from')!, one('b:stay/c:until')!),
            ),
          );
        case 'CancelReservation':
          this.harbour.cancel(one('b:reservationNumber')!);
          return response(name, '');
        case 'GetReservation':
          return response(name, reservationXml(this.harbour.get(one('b:reservationNumber')!)));
        case 'ListReservations':
          return response(name, this.harbour.list(one('b:berth'), one('b:state')).map(reservationXml).join(''));
        default:
          throw new Fault(true, `There is no operation ${name}`);
      }
    } catch (error) {
      if (error instanceof BerthTaken)
        throw new Fault(
          true,
          error.message,
          `<b:BerthTaken xmlns:b="${B}"><b:berth>${error.by.berth}</b:berth><b:takenBy>${error.by.number}</b:takenBy><b:freeFrom>${error.by.until}</b:freeFrom></b:BerthTaken>`,
        );
      if (error instanceof Unknown)
        throw new Fault(
          true,
          error.message,
          `<b:${error.kind} xmlns:b="${B}"><b:asked>${escape(error.asked)}</b:asked></b:${error.kind}>`,
        );
      throw error;
    }
  }
}

function wish(
  one: (path: string) => string | undefined,
  all: (path: string) => string[],
): Parameters<Harbour['reserve']>[0] {
  const callNumber = one('b:vessel/b:callNumber');
  const who: Reservation['who'] =
    callNumber === undefined
      ? { kind: 'barge', plate: one('b:barge/b:plate')!, towedBy: one('b:barge/b:towedBy') }
      : { kind: 'vessel', callNumber, name: one('b:vessel/b:name') };
  const cargo = all('b:cargo').length
    ? all('b:cargo/b:item').map((_x, i) => ({
        kind: one(`b:cargo/b:item[${i + 1}]/b:kind`)!,
        tonnes: one(`b:cargo/b:item[${i + 1}]/b:tonnes`),
      }))
    : undefined;
  return {
    berth: one('b:berth')!,
    who,
    draughtMetres: one('b:draughtMetres')!,
    from: one('b:stay/c:from')!,
    until: one('b:stay/c:until')!,
    cargo,
  };
}

const escape = (text: string): string => text.replace(/&/g, '&amp;').replace(/</g, '&lt;').replace(/>/g, '&gt;');
const element = (name: string, value: string | undefined): string =>
  value === undefined ? '' : `<b:${name}>${escape(value)}</b:${name}>`;
const nillable = (name: string, value: string | undefined): string =>
  value === undefined ? `<b:${name} xsi:nil="true"/>` : element(name, value);
const response = (name: string, inner: string): string =>
  `<b:${name}Response xmlns:b="${B}" xmlns:c="urn:tarnhaven:common:1" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance">${inner}</b:${name}Response>`;

function berthXml(b: Berth): string {
  return `<b:berth number="${b.number}">${element('quay', b.quay)}${element('lengthMetres', b.lengthMetres)}${element('depthMetres', b.depthMetres)}${element('surface', b.surface)}${b.services.map((s) => element('service', s)).join('')}${nillable('closedUntil', b.closedUntil)}</b:berth>`;
}

function reservationXml(r: Reservation): string {
  const who =
    r.who.kind === 'vessel'
      ? `<b:vessel>${element('callNumber', r.who.callNumber)}${element('name', r.who.name)}</b:vessel>`
      : `<b:barge>${element('plate', r.who.plate)}${element('towedBy', r.who.towedBy)}</b:barge>`;
  const cargo =
    r.cargo === undefined
      ? ''
      : `<b:cargo>${r.cargo.map((c) => `<b:item>${element('kind', c.kind)}${element('tonnes', c.tonnes)}</b:item>`).join('')}</b:cargo>`;
  return `<b:reservation number="${r.number}">${element('berth', r.berth)}${element('state', r.state)}${who}${element('draughtMetres', r.draughtMetres)}<b:stay><c:from>${r.from}</c:from><c:until>${r.until}</c:until></b:stay>${cargo}<b:dues currency="TAL">${r.dues}</b:dues>${nillable('pilotFrom', r.pilotFrom)}</b:reservation>`;
}

function envelope(version: Version, inner: string): string {
  return `<?xml version="1.0" encoding="UTF-8"?>\n<s:Envelope xmlns:s="${SOAP[version]}"><s:Body>${inner}</s:Body></s:Envelope>`;
}

function faultXml(version: Version, fault: Fault): string {
  const reason = escape(fault.message);
  if (version === '1.1')
    return `<s:Fault><faultcode>s:${fault.sender ? 'Client' : 'Server'}</faultcode><faultstring>${reason}</faultstring>${fault.detail ? `<detail>${fault.detail}</detail>` : ''}</s:Fault>`;
  return `<s:Fault><s:Code><s:Value>s:${fault.sender ? 'Sender' : 'Receiver'}</s:Value></s:Code><s:Reason><s:Text xml:lang="en">${reason}</s:Text></s:Reason>${fault.detail ? `<s:Detail>${fault.detail}</s:Detail>` : ''}</s:Fault>`;
}
