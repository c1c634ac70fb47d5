import { draftGraph, readContract, type FlowDocument } from '@hinge/core';
import { ARRIVAL, BROKER } from './arrivals';
import { berthsContract } from './berths';
import { contractFor } from './town';

const SAMPLE = `{
  vessel: getVessel(callNumber: "TV-40213") {
    name
    lengthMetres
    ownerDetails { name vessels }
  }
  reservations: listReservations(officeCode: "TH-22") {
    reservation { number berth vessel { callNumber vessel { name ownerDetails { name } } } }
  }
  lies: getBerth(id: "N-07", officeCode: "TH-22") {
    berth { number quay depthMetres }
  }
  tides: getTideTable(day: "2026-12-04") {
    station
    tides { kind at heightMetres }
  }
  pilots: getRoster(day: "2026-12-04") {
    pilots { name free }
  }
  again: getVessel(callNumber: "TV-40213") { kind }
}
`;

/** One graph over four services of three kinds: berths (SOAP), vessels and pilots (JSON), tides (XML); and who has berthed, as it happens. */
export function harbourGraph(broker = BROKER): FlowDocument {
  const sources = [
    { backend: 'berths', source: berthsContract() },
    ...(['vessels', 'tides', 'pilots'] as const).map((name) => ({ backend: name, source: contractFor(name) })),
  ].map((s) => ({ ...s, contract: readContract(s.source) }));
  const document = draftGraph(sources, { name: 'Harbour graph', base: '/graph', withoutFiles: true });
  return {
    ...document,
    api: { ...document.api, description: 'Vessels, berths, tides and pilots in one graph.', tags: ['graph'] },
    brokers: { town: { description: 'The broker of the port office', address: broker, version: '3.1.1' } },
    types: { ...document.types, Arrival: ARRIVAL },
    // subscription { berthed { berth details { name } } }
    topics: {
      berthed: {
        title: 'Berthed',
        broker: 'town',
        address: 'arrivals/berthed',
        form: 'cloudevents',
        schema: { $ref: '#/types/Arrival' },
      },
    },
    graph: {
      ...document.graph,
      joins: [
        ...(document.graph?.joins ?? []),
        {
          type: 'Arrival',
          field: 'details',
          operation: 'searchVessels',
          with: { callNumber: 'vessel' },
          list: { by: 'callNumber', items: '/vessels', most: 20 },
        },
      ],
      sample: SAMPLE,
    },
    backends: Object.fromEntries(sources.map((s) => [s.backend, {}])),
  };
}
