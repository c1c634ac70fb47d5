import {
  Body,
  BrokerFailure,
  newEvent,
  type BrokerMessage,
  type BrokerPublish,
  type Brokers,
  type TopicHubs,
} from '../src';

/** A broker in memory. */
export class FakeBroker implements Brokers {
  sent: BrokerPublish[] = [];
  takers = new Map<string, ((m: BrokerMessage) => void)[]>();
  down = false;
  subscriptions = 0;

  publish(_b: unknown, m: BrokerPublish): Promise<void> {
    if (this.down) return Promise.reject(new BrokerFailure('it is down'));
    this.sent.push(m);
    for (const take of this.takers.get(m.address) ?? []) take(m);
    return Promise.resolve();
  }

  subscribe(_b: unknown, address: string, take: (m: BrokerMessage) => void): Promise<() => void> {
    if (this.down) return Promise.reject(new BrokerFailure('it is down'));
    this.subscriptions++;
    this.takers.set(address, [...(this.takers.get(address) ?? []), take]);
    return Promise.resolve(() => void this.takers.delete(address));
  }

  async consume(_b: unknown, address: string, _group: string, take: (m: BrokerMessage) => Promise<void>) {
    const end = await this.subscribe(_b, address, (m) => void take(m).catch(() => undefined));
    return () => Promise.resolve(end());
  }
}

export const event = (id: string, data: unknown = { id }) => ({
  ...newEvent({ name: 'berthed', source: '/Arrivals' }, Body.ofText(JSON.stringify(data), 'application/json')),
  id,
});
/** Everything that waits for a listener. */
export async function drain(l: Awaited<ReturnType<TopicHubs['listen']>>): Promise<string[]> {
  const out: string[] = [];
  for (;;) {
    const d = await l.next(0);
    if (!d) return out;
    out.push('gap' in d ? 'gap' : d.event.id);
  }
}
