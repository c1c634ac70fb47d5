import {
  protocolOf,
  type BrokerMessage,
  type BrokerPublish,
  type BrokerRef,
  type Brokers,
  type StopTaking,
} from '@hinge/core';
import { MqttBrokers } from './mqtt';
import { NatsBrokers } from './nats';

/** Each protocol has its adapter; which one is told by the address. */
export class AllBrokers implements Brokers {
  /** What is asked for is the same object each time. */
  private readonly known = new WeakMap<BrokerRef, MqttBrokers | NatsBrokers>();
  private last: BrokerRef | undefined;
  private lastOwn: MqttBrokers | NatsBrokers | undefined;
  private readonly by: Readonly<Record<'mqtt' | 'nats', MqttBrokers | NatsBrokers>>;

  /** `identity`: a name of this gateway that stays when it starts again; without one no broker keeps anything for it. */
  constructor(identity?: string) {
    this.by = { mqtt: new MqttBrokers(identity), nats: new NatsBrokers(identity) };
  }

  publish(broker: BrokerRef, message: BrokerPublish): Promise<void> {
    return this.of(broker).publish(broker, message);
  }

  subscribe(broker: BrokerRef, address: string, take: (m: BrokerMessage) => void): Promise<() => void> {
    return this.of(broker).subscribe(broker, address, take);
  }

  consume(
    broker: BrokerRef,
    address: string,
    group: string,
    take: (m: BrokerMessage) => Promise<void>,
  ): Promise<StopTaking> {
    return this.of(broker).consume(broker, address, group, take);
  }

  async close(): Promise<void> {
    await Promise.all(Object.values(this.by).map((b) => b.close()));
  }

  private of(broker: BrokerRef): MqttBrokers | NatsBrokers {
    if (broker === this.last) return this.lastOwn!;
    let own = this.known.get(broker);
    if (!own) this.known.set(broker, (own = this.by[protocolOf(broker.address) ?? 'mqtt']));
    this.last = broker;
    this.lastOwn = own;
    return own;
  }
}
