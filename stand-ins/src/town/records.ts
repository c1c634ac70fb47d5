/** Records of the town's services, all invented. */
export interface Vessel {
  readonly callNumber: string;
  readonly name: string;
  readonly kind: 'VESSEL' | 'BARGE';
  readonly lengthMetres: number;
  readonly draughtMetres?: number;
  readonly grossTonnage: number;
  readonly owner: { readonly id: string; readonly name: string };
  readonly built: number | null;
}

export const OWNERS = [
  { id: 'O-31', name: 'Kittiwake Agency' },
  { id: 'O-44', name: 'Dunlin & Sons' },
  { id: 'O-58', name: 'Sandpiper Freight' },
] as const;

const row = (
  callNumber: string,
  name: string,
  metres: number,
  draught: number,
  tonnage: number,
  owner: number,
  built: number | null,
): Vessel => ({
  callNumber,
  name,
  kind: callNumber.startsWith('TB') ? 'BARGE' : 'VESSEL',
  lengthMetres: metres,
  draughtMetres: draught,
  grossTonnage: tonnage,
  owner: OWNERS[owner]!,
  built,
});

export const VESSELS: readonly Vessel[] = [
  row('TV-40213', 'Grey Wagtail', 112.4, 6.4, 4980, 0, 2009),
  row('TV-40377', 'Red Knot', 186.2, 9.1, 21440, 0, 2017),
  row('TV-41020', 'Little Stint', 58.75, 3.9, 870, 1, 1994),
  row('TV-41388', 'Purple Sandpiper', 96, 5.85, 3310, 2, 2003),
  row('TV-42004', 'Long-tailed Duck', 231.5, 11.2, 38900, 2, 2021),
  row('TB-50012', 'Turnstone', 46.3, 2.2, 610, 1, null),
  row('TB-50077', 'Ringed Plover', 71.9, 2.6, 1105, 1, 1987),
];

export const PILOTS = [
  { id: 'L-02', name: 'A. Ouzel', free: true, from: '06:00' },
  { id: 'L-05', name: 'I. Fieldfare', free: false, from: '06:00' },
  { id: 'L-11', name: 'E. Redwing', free: true, from: '14:00' },
] as const;

export interface Tide {
  readonly kind: 'HIGH' | 'LOW';
  /** ISO 8601 with offset. */
  readonly at: string;
  readonly heightMetres: string;
}

/** Four tides of a day: half a lunar day apart, springs and neaps by a fortnight. Plausible, and made up. Undefined for what is no day. */
export function tidesOf(day: string): Tide[] | undefined {
  const start = Date.parse(`${day}T00:00:00+01:00`);
  if (!/^\d{4}-\d\d-\d\d$/.test(day) || Number.isNaN(start)) return undefined;
  const days = Math.floor(start / 86_400_000);
  const first = (days * 48.8) % 372;
  const spring = Math.cos((days / 14.77) * 2 * Math.PI);
  return [0, 1, 2, 3].map((n): Tide => {
    const minutes = Math.round(first + n * 372.6);
    const time = new Date(start + minutes * 60_000 + 3_600_000).toISOString().slice(0, 19);
    const high = n % 2 === 0;
    return {
      kind: high ? 'HIGH' : 'LOW',
      at: `${time}+01:00`,
      heightMetres: (high ? 4.1 + 0.7 * spring : 1.1 - 0.6 * spring).toFixed(2),
    };
  });
}
