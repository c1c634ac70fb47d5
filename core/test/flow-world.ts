import {
  Body,
  compileApi,
  draftRest,
  incomingOf,
  readWsdl,
  rehearse,
  type BackendReply,
  type BackendRequest,
  type FlowDocument,
  type Ports,
  type Rehearsal,
  type SampleRequest,
} from '../src';
import { berths } from './files';

export const source = berths();
const base: FlowDocument = draftRest(readWsdl(source), source, undefined, { address: 'http://backend.test/soap' });
export const draft = (): FlowDocument => structuredClone(base);

export const envelope = (inner: string) =>
  `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:xsi="http://www.w3.org/2001/XMLSchema-instance"><s:Body>${inner}</s:Body></s:Envelope>`;
export const BERTH =
  '<b:GetBerthResponse xmlns:b="urn:tarnhaven:berths:2"><b:berth number="N-07"><b:quay>q</b:quay><b:lengthMetres>118.50</b:lengthMetres><b:depthMetres>7.10</b:depthMetres><b:surface>stone</b:surface><b:closedUntil xsi:nil="true"/></b:berth></b:GetBerthResponse>';

export function answering(text: string, status = 200, mediaType = 'text/xml'): BackendReply {
  return { status, headers: { 'content-type': mediaType }, body: Body.ofText(text, mediaType) };
}

export async function run(
  document: FlowDocument,
  operation: string,
  sample: SampleRequest,
  send: (r: BackendRequest) => BackendReply | Promise<BackendReply>,
  environment?: string,
): Promise<Rehearsal> {
  const ports: Ports = { clock: { now: () => performance.now() }, backends: { send: async (r) => send(r) } };
  const op = compileApi(document)
    .operations.get('public')!
    .find((o) => o.id === operation)!;
  return rehearse(op, incomingOf(op, document.doors[0]!.path, sample), {
    ports,
    environment,
    env: { officeCode: 'TH-22' },
    traceId: 't'.repeat(32),
    outbound: { traceparent: 'tp' },
  });
}

export const GET = { path: { id: 'N-07' }, headers: { officeCode: 'TH-22' } };
export const RESERVE = {
  headers: { officeCode: 'TH-22' },
  body: {
    berth: 'N-07',
    vessel: { callNumber: 'TV-40213' },
    draughtMetres: 6.4,
    stay: { from: '2026-12-04T05:30:00+01:00', until: '2026-12-06T05:30:00+01:00' },
  },
};
