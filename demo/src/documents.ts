import type { ContractFiles, FlowDocument } from '@hinge/core';
import { TOWN, type TownService } from '@hinge/stand-ins';
import { arrivalsApi } from './arrivals';
import { berthsApi, berthsContract } from './berths';
import { harbourGraph } from './graph';
import { portCallsApi } from './port-calls';
import { tidesApi } from './tides';
import { towageApi } from './towage';
import { berthsSoapApi, contractFor, duesApi, noticesApi, registerApi } from './town';

/** The APIs of the harbour, by their name on a gateway. */
export function demoApis(broker?: string, receiver?: string): Record<string, FlowDocument> {
  return {
    arrivals: arrivalsApi(broker, receiver),
    berths: berthsApi(),
    'berths-soap': berthsSoapApi(),
    dues: duesApi(),
    'harbour-graph': harbourGraph(broker),
    notices: noticesApi(),
    'port-calls': portCallsApi(),
    register: registerApi(),
    tides: tidesApi(),
    towage: towageApi(),
  };
}

export interface DemoBackend {
  readonly name: string;
  readonly title: string;
  readonly contract?: ContractFiles & { readonly kind: 'wsdl' | 'openapi' };
  readonly address: string;
}

const TITLES: Record<TownService, string> = {
  vessels: 'Vessels',
  tides: 'Tides',
  pilots: 'Pilots',
  tow: 'Tow desk',
  barge: 'Barge desk',
  dues: 'Dues',
  notices: 'Notices',
};

/** Backends of the demo, at the addresses of the stand-ins. */
export function demoBackends(at: { readonly berths: string; readonly town: string }): DemoBackend[] {
  return [
    { name: 'berths', title: 'Berths', contract: { kind: 'wsdl', ...berthsContract() }, address: at.berths },
    ...TOWN.map((name): DemoBackend => {
      const kind = name === 'dues' ? 'wsdl' : 'openapi';
      return {
        name,
        title: TITLES[name],
        ...(name !== 'notices' && { contract: { kind, ...contractFor(name) } }),
        address: `${at.town}/${name}`,
      };
    }),
  ];
}

/** A document with contracts and addresses put in: what a gateway runs without a studio. */
export function wholeDocument(
  document: FlowDocument,
  at: { readonly berths: string; readonly town: string },
): FlowDocument {
  const all = new Map(demoBackends(at).map((b) => [b.name, b]));
  const backends: NonNullable<FlowDocument['backends']> = {};
  for (const name of Object.keys(document.backends ?? {})) {
    const b = all.get(name)!;
    backends[name] = {
      address: b.address,
      ...(b.contract && { contract: { ...b.contract, files: { ...b.contract.files } } }),
    };
  }
  return { ...document, backends };
}
