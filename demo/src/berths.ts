import { draftRest, planRest, readWsdl, type CaseDocument, type ContractFiles, type FlowDocument } from '@hinge/core';
import { BERTHS_CONTRACT, BERTHS_FILES } from '@hinge/stand-ins';
import { readFileSync } from 'node:fs';
import { join } from 'node:path';

/** The contract of the Berths stand-in, as a designer would bring it in. */
export function berthsContract(): ContractFiles {
  const files: Record<string, string> = {};
  for (const name of BERTHS_FILES) files[name] = readFileSync(join(BERTHS_CONTRACT, name), 'utf8');
  return { entry: BERTHS_FILES[0], files };
}

const STATUS: Record<string, { status: number; title: string }> = {
  BerthTaken: { status: 409, title: 'The berth is taken' },
  UnknownBerth: { status: 404, title: 'There is no such berth' },
  UnknownReservation: { status: 404, title: 'There is no such reservation' },
};

const CASES: readonly Omit<CaseDocument, 'note'>[] = [
  { name: 'all berths', operation: 'FindBerths', request: {} },
  {
    name: 'deep, with a crane',
    operation: 'FindBerths',
    request: { query: { minDepthMetres: '8', service: ['crane'] } },
  },
  { name: 'N-07, open', operation: 'GetBerth', request: { path: { id: 'N-07' } } },
  { name: 'N-08, closed', operation: 'GetBerth', request: { path: { id: 'N-08' } } },
  { name: 'no such berth', operation: 'GetBerth', request: { path: { id: 'Z-99' } } },
  {
    name: 'berth taken',
    operation: 'ReserveBerth',
    request: {
      body: {
        berth: 'S-02',
        vessel: { callNumber: 'TV-40213', name: 'Grey Wagtail' },
        draughtMetres: 6.4,
        stay: { from: '2026-12-01T05:30:00+01:00', until: '2026-12-02T05:30:00+01:00' },
      },
    },
  },
  {
    name: 'depth is missing',
    operation: 'ReserveBerth',
    request: {
      body: {
        berth: 'N-07',
        vessel: { callNumber: '40213' },
        stay: { from: '2026-12-04T05:30:00+01:00', until: '2026-12-06T05:30:00+01:00' },
      },
    },
  },
  { name: 'the first one', operation: 'GetReservation', request: { path: { reservationNumber: 'R-118204' } } },
  { name: 'no such reservation', operation: 'GetReservation', request: { path: { reservationNumber: 'R-1' } } },
  { name: 'all', operation: 'ListReservations', request: {} },
  {
    name: 'one night more',
    operation: 'AmendReservation',
    request: {
      path: { reservationNumber: 'R-118204' },
      body: { stay: { from: '2026-12-01T04:00:00+01:00', until: '2026-12-04T18:30:00+01:00' } },
    },
  },
  { name: 'unknown number', operation: 'CancelReservation', request: { path: { reservationNumber: 'R-1' } } },
];

/** The demo's Berths API: the draft, with the office code from the environment and faults as the statuses that they mean. */
export function berthsApi(): FlowDocument {
  const source = berthsContract();
  const contract = readWsdl(source);
  const plan = planRest(contract).map((row) => ({ ...row, fields: row.fields.filter((f) => f.name !== 'officeCode') }));
  const document = draftRest(contract, source, plan, {
    name: 'Berths',
    base: '/berths/v1',
    backend: 'berths',
    withoutFiles: true,
  });
  for (const operation of Object.values(document.operations)) {
    for (const step of operation.flow) {
      if (step.kind === 'map' && step.to !== 'reply')
        step.fields = [{ to: '/soapHeader/officeCode', from: 'env.officeCode' }, ...(step.fields ?? [])];
      if (step.kind === 'call') {
        const faults = contract.operations.find((o) => o.id === step.operation)?.faults ?? [];
        if (faults.length)
          step.faults = Object.fromEntries(faults.flatMap((f) => (STATUS[f.name] ? [[f.name, STATUS[f.name]!]] : [])));
      }
    }
  }
  const reserve = document.operations.ReserveBerth!.flow[2]!;
  if (reserve.kind === 'map')
    reserve.fields = [
      ...(reserve.fields ?? []),
      { to: '/headers/Location', from: '"/berths/v1/reservations/" & body.reservation.number' },
    ];
  return { ...document, backends: { berths: {} }, cases: CASES.map((c) => ({ ...c })) };
}
