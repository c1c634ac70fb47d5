import {
  draftFor,
  draftProxy,
  draftSoap,
  planFor,
  readContract,
  readWsdl,
  type ContractFiles,
  type FlowDocument,
} from '@hinge/core';
import { townContract, type TownService } from '@hinge/stand-ins';
import { berthsContract } from './berths';

export const contractFor = (service: TownService): ContractFiles => townContract(service);

/** A REST API drafted from a service's contract, as a designer would get it. */
export function drafted(service: TownService, name: string, base: string): FlowDocument {
  const source = contractFor(service);
  const contract = readContract(source);
  const document = draftFor(contract, source, planFor(contract), { name, base, backend: service, withoutFiles: true });
  return { ...document, backends: { [service]: {} } };
}

/** Harbour dues: rpc/literal SOAP as REST, every decimal kept. */
export function duesApi(): FlowDocument {
  const document = drafted('dues', 'Dues', '/dues/v1');
  const [id] = Object.keys(document.operations);
  const operation = document.operations[id!]!;
  for (const step of operation.flow)
    if (step.kind === 'call')
      step.faults = { TariffMissing: { status: 422, title: 'There is no tariff for this cargo' } };
  const ask = (cargoClass: string) => {
    const values = { grossTonnage: 4980.125, nights: 2, cargoClass };
    const query = operation.parameters?.some((p) => p.in === 'query');
    return query ? { query: values } : { body: values };
  };
  document.cases = [
    { name: 'timber, two nights', operation: id!, request: ask('TIMBER'), expect: { status: 200 } },
    { name: 'no tariff', operation: id!, request: ask('DANGEROUS'), expect: { status: 422 } },
  ];
  return document;
}

/** The old SOAP clients go on as they are: envelopes pass through, checked by the contract, with the door's own WSDL. */
export function berthsSoapApi(): FlowDocument {
  const source = berthsContract();
  const document = draftSoap(readWsdl(source), source, {
    name: 'Berths, as before',
    base: '/berths-soap',
    backend: 'berths',
    withoutFiles: true,
  });
  const ask = (id: string, inner: string) =>
    `<s:Envelope xmlns:s="http://schemas.xmlsoap.org/soap/envelope/" xmlns:b="urn:tarnhaven:berths:2"><s:Header><b:officeCode>TH-22</b:officeCode></s:Header><s:Body><b:${id}>${inner}</b:${id}></s:Body></s:Envelope>`;
  const headers = { 'content-type': 'text/xml; charset=utf-8' };
  return {
    ...document,
    backends: { berths: {} },
    cases: [
      {
        name: 'N-07',
        operation: 'GetBerth',
        request: { headers, body: ask('GetBerth', '<b:id>N-07</b:id>') },
        expect: { status: 200 },
      },
      {
        // A fault of SOAP 1.1 comes with status 500, whoever is to blame (SOAP 1.1 §6.2).
        name: 'no such berth',
        operation: 'GetBerth',
        request: { headers, body: ask('GetBerth', '<b:id>Z-99</b:id>') },
        expect: { status: 500 },
      },
    ],
  };
}

/** A plain proxy over a service whose contract is known: what passes is not shaped, but its operations are documented by the backend. */
export function registerApi(): FlowDocument {
  const document = draftProxy('http://127.0.0.1', { name: 'Register', base: '/register' });
  const any = document.operations.any!;
  return {
    ...document,
    api: { ...document.api, description: 'The register of vessels, passed on as it is.' },
    backends: { vessels: {} },
    operations: {
      any: { ...any, flow: [{ kind: 'call', backend: 'vessels', retry: { times: 2, waitMs: 100 } }] },
    },
    cases: [
      {
        name: 'Grey Wagtail',
        operation: 'any',
        request: { path: { '*': '/vessels/TV-40213' } },
        expect: { status: 200 },
      },
      { name: 'nobody', operation: 'any', request: { path: { '*': '/vessels/TV-00000' } }, expect: { status: 404 } },
    ],
  };
}

/** A plain proxy without a contract, under another path than the backend has. */
export function noticesApi(): FlowDocument {
  const document = draftProxy('http://127.0.0.1', { name: 'Old notices', base: '/notices' });
  return {
    ...document,
    backends: { notices: {} },
    operations: {
      any: {
        ...document.operations.any!,
        flow: [{ kind: 'call', backend: 'notices', path: '{{ $replace(rest, "/number/", "/") }}' }],
      },
    },
    cases: [{ name: 'number 7', operation: 'any', request: { path: { '*': '/number/7' } }, expect: { status: 200 } }],
  };
}
