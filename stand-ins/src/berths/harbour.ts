/** State of the Berths stand-in: an invented harbour that forgets everything when it stops. */
export interface Berth {
  readonly number: string;
  readonly quay: string;
  readonly lengthMetres: string;
  readonly depthMetres: string;
  readonly surface: 'stone' | 'timber' | 'steel';
  readonly services: readonly string[];
  readonly closedUntil?: string;
}

export interface Reservation {
  readonly number: string;
  readonly berth: string;
  state: 'CONFIRMED' | 'AMENDED' | 'CANCELLED';
  /** The vessel or barge element as it was sent. */
  readonly who:
    | { readonly kind: 'vessel'; readonly callNumber: string; readonly name?: string }
    | { readonly kind: 'barge'; readonly plate: string; readonly towedBy?: string };
  readonly draughtMetres: string;
  from: string;
  until: string;
  /** Undefined when no cargo element came: absent and empty differ. */
  readonly cargo?: readonly { readonly kind: string; readonly tonnes?: string }[];
  readonly dues: string;
  readonly pilotFrom?: string;
}

const BERTHS: readonly Berth[] = [
  {
    number: 'N-01',
    quay: 'North quay',
    lengthMetres: '62.00',
    depthMetres: '4.20',
    surface: 'timber',
    services: ['water'],
  },
  {
    number: 'N-07',
    quay: 'North quay',
    lengthMetres: '118.50',
    depthMetres: '7.10',
    surface: 'stone',
    services: ['water', 'power'],
  },
  {
    number: 'N-08',
    quay: 'North quay',
    lengthMetres: '96.25',
    depthMetres: '6.80',
    surface: 'stone',
    services: [],
    closedUntil: '2026-12-20T06:00:00+01:00',
  },
  {
    number: 'S-02',
    quay: 'South quay',
    lengthMetres: '184.00',
    depthMetres: '9.40',
    surface: 'steel',
    services: ['water', 'power', 'crane'],
  },
  {
    number: 'S-03',
    quay: 'South quay',
    lengthMetres: '201.75',
    depthMetres: '10.00',
    surface: 'steel',
    services: ['crane'],
  },
  { number: 'W-11', quay: 'West mole', lengthMetres: '44.80', depthMetres: '3.05', surface: 'timber', services: [] },
];

export class BerthTaken extends Error {
  constructor(readonly by: Reservation) {
    super(`berth ${by.berth} is taken from ${by.from} until ${by.until}`);
  }
}
export class Unknown extends Error {
  constructor(
    readonly kind: 'UnknownBerth' | 'UnknownReservation',
    readonly asked: string,
  ) {
    super(kind === 'UnknownBerth' ? `there is no berth ${asked}` : `there is no reservation ${asked}`);
  }
}

export class Harbour {
  private readonly reservations = new Map<string, Reservation>();
  private next = 118_204;

  constructor() {
    this.reserve({
      berth: 'S-02',
      who: { kind: 'vessel', callNumber: 'TV-40213', name: 'Grey Wagtail' },
      draughtMetres: '6.40',
      from: '2026-12-01T04:00:00+01:00',
      until: '2026-12-03T18:30:00+01:00',
      cargo: [{ kind: 'timber', tonnes: '1240.50' }, { kind: 'pulp' }],
    });
  }

  find(criteria: { quay?: string; minDepth?: number; services: readonly string[]; openOnly?: boolean }): Berth[] {
    return BERTHS.filter(
      (b) =>
        (criteria.quay === undefined || b.quay === criteria.quay) &&
        (criteria.minDepth === undefined || Number(b.depthMetres) >= criteria.minDepth) &&
        criteria.services.every((s) => b.services.includes(s)) &&
        (!criteria.openOnly || b.closedUntil === undefined),
    );
  }

  berth(number: string): Berth {
    const found = BERTHS.find((b) => b.number === number);
    if (!found) throw new Unknown('UnknownBerth', number);
    return found;
  }

  reserve(wish: Pick<Reservation, 'berth' | 'who' | 'draughtMetres' | 'from' | 'until' | 'cargo'>): Reservation {
    this.berth(wish.berth);
    this.mustBeFree(wish.berth, wish.from, wish.until, undefined);
    const number = `R-${this.next++}`;
    const nights = Math.max(1, Math.round((Date.parse(wish.until) - Date.parse(wish.from)) / 86_400_000));
    const reservation: Reservation = {
      ...wish,
      number,
      state: 'CONFIRMED',
      dues: (nights * 206.25).toFixed(2),
      pilotFrom:
        Number(wish.draughtMetres) > 6.5 ? new Date(Date.parse(wish.from) - 3_600_000).toISOString() : undefined,
    };
    this.reservations.set(number, reservation);
    return reservation;
  }

  get(number: string): Reservation {
    const found = this.reservations.get(number);
    if (!found) throw new Unknown('UnknownReservation', number);
    return found;
  }

  amend(number: string, from: string, until: string): Reservation {
    const r = this.get(number);
    this.mustBeFree(r.berth, from, until, number);
    Object.assign(r, { from, until, state: 'AMENDED' });
    return r;
  }

  cancel(number: string): void {
    this.get(number).state = 'CANCELLED';
  }

  list(berth?: string, state?: string): Reservation[] {
    return [...this.reservations.values()].filter(
      (r) => (berth === undefined || r.berth === berth) && (state === undefined || r.state === state),
    );
  }

  private mustBeFree(berth: string, from: string, until: string, except: string | undefined): void {
    for (const r of this.reservations.values()) {
      if (r.berth !== berth || r.number === except || r.state === 'CANCELLED') continue;
      if (Date.parse(from) < Date.parse(r.until) && Date.parse(until) > Date.parse(r.from)) throw new BerthTaken(r);
    }
  }
}
