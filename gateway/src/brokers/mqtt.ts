import {
  BrokerFailure,
  type BrokerMessage,
  type BrokerPublish,
  type BrokerRef,
  type Brokers,
  type StopTaking,
} from '@hinge/core';
import { connect, connectAsync, type IClientPublishOptions, type IPublishPacket, type MqttClient } from 'mqtt';
import { generate } from 'mqtt-packet';
import { createHash, randomUUID } from 'node:crypto';
import type { Socket } from 'node:net';
import { GATEWAY_LIMITS } from '../limits';

/** An event that is not confirmed yet. */
interface Waiting {
  readonly since: number;
  readonly reject: (error: BrokerFailure) => void;
}

interface Connection {
  readonly client: Promise<MqttClient>;
  /** Once it is there. */
  open?: MqttClient;
  /** Events of this turn are held until its end. */
  held?: true;
  /** What was written at QoS 0 is more than the system takes; who publishes waits for this. */
  full?: Promise<void>;
  /** It failed; the next one tries again. */
  gone?: true;
  readonly pending: Set<Waiting>;
  /** Who listens, by topic. One subscription at the broker serves all of them. */
  readonly takers: Map<string, Set<(m: BrokerMessage) => void>>;
}

/** MQTT 3.1.1 and 5 through the standard client: one connection for each broker, opened when it is first needed and kept. */
export class MqttBrokers implements Brokers {
  private readonly connections = new Map<string, Connection>();
  /** The same connections by what asks for them; what is asked for is the same object each time. */
  private readonly byRef = new WeakMap<BrokerRef, Connection>();
  /** The one asked for last: looking it up is felt where thousands of events go through in a second. */
  private last: { readonly broker: BrokerRef; readonly connection: Connection } | undefined;
  private readonly consumers = new Set<MqttClient>();

  constructor(
    /** Stays the same when this gateway starts again: the broker keeps what was not confirmed for it. Undefined: nothing is kept. */
    private readonly identity?: string,
  ) {}

  publish(broker: BrokerRef, m: BrokerPublish): Promise<void> {
    const connection = this.connection(broker);
    return connection.open
      ? send(connection, connection.open, broker, m)
      : connection.client.then((client) => send(connection, client, broker, m));
  }

  async subscribe(broker: BrokerRef, address: string, take: (m: BrokerMessage) => void): Promise<() => void> {
    // A filter has a connection of its own: where two subscriptions of one connection overlap, a broker may send the same twice (MQTT 3.1.1 §3.3.5).
    const lane = isFilter(address) ? address : undefined;
    if (
      lane !== undefined &&
      !this.connections.has(keyOf(broker, lane)) &&
      this.connections.size >= GATEWAY_LIMITS.brokerConnections
    )
      throw new BrokerFailure('too many filters are listened to already');
    const connection = this.connection(broker, lane);
    const client = await connection.client;
    const { takers } = connection;
    const own = takers.get(address);
    if (own) own.add(take);
    else {
      takers.set(address, new Set([take]));
      try {
        const granted = await client.subscribeAsync(address, { qos: 1 });
        const refused = granted.find((g) => g.qos >= 128);
        if (refused) throw new Error(`the broker refused the subscription to ${address}`);
      } catch (error) {
        takers.delete(address);
        if (lane !== undefined) this.endLane(broker, lane);
        throw new BrokerFailure((error as Error).message, { cause: error });
      }
    }
    return () => {
      const all = takers.get(address);
      all?.delete(take);
      if (all?.size) return;
      takers.delete(address);
      if (lane !== undefined) this.endLane(broker, lane);
      else if (client.connected) client.unsubscribe(address);
    };
  }

  async consume(
    broker: BrokerRef,
    address: string,
    group: string,
    take: (m: BrokerMessage) => Promise<void>,
  ): Promise<StopTaking> {
    const { identity } = this;
    const own = createHash('sha256')
      .update(`${identity ?? randomUUID()} ${group} ${address}`)
      .digest('hex');
    const client = connect(broker.address, {
      protocolVersion: broker.version,
      // MQTT 3.1.1 §3.1.3.1: 23 characters are taken everywhere.
      clientId: `hinge${own.slice(0, 18)}`,
      connectTimeout: GATEWAY_LIMITS.connectMs,
      reconnectPeriod: GATEWAY_LIMITS.brokerRetryMs,
      clean: identity === undefined,
      resubscribe: true,
      // While one message is worked on nothing is read, answers to pings neither: the system looks after the connection.
      keepalive: 0,
      ...(broker.version === 5 && {
        properties: {
          receiveMaximum: 1,
          ...(identity !== undefined && { sessionExpiryInterval: GATEWAY_LIMITS.brokerSessionS }),
        },
      }),
    });
    this.consumers.add(client);
    client.on('error', () => undefined);
    client.on('connect', () => (client.stream as Partial<Socket>).setKeepAlive?.(true, 30_000));
    let stopped = false;
    // One after the other, also where a broken connection brings one again that is still worked on.
    let work: Promise<void> = Promise.resolve();
    // Called before the message is confirmed, which waits for the answer.
    client.handleMessage = (packet, done) => {
      work = work.then(async () => {
        if (stopped) return;
        try {
          await take(messageOf(packet));
          done();
        } catch {
          // Not confirmed: it comes again with the next connection.
        }
      });
    };
    // MQTT 5.0 §4.8.2; in 3.1.1 every gateway is a group of its own.
    const filter = broker.version === 5 ? `$share/${group.replace(/[/+#]/g, '-')}/${address}` : address;
    const refusal = await subscribed(client, filter);
    if (refusal !== undefined) {
      this.consumers.delete(client);
      await client.endAsync(true).catch(() => undefined);
      throw new BrokerFailure(refusal);
    }
    return async (forget) => {
      stopped = true;
      await work;
      this.consumers.delete(client);
      if (forget && client.connected) await client.unsubscribeAsync(filter).catch(() => undefined);
      await client.endAsync(true).catch(() => undefined);
    };
  }

  async close(): Promise<void> {
    await Promise.all([...this.consumers].map((c) => c.endAsync(true).catch(() => undefined)));
    this.consumers.clear();
    const all = [...this.connections.values()];
    this.connections.clear();
    this.last = undefined;
    await Promise.all(all.map((c) => c.client.then((client) => client.endAsync(true)).catch(() => undefined)));
  }

  private endLane(broker: BrokerRef, lane: string): void {
    const key = keyOf(broker, lane);
    const connection = this.connections.get(key);
    if (!connection || connection.takers.size) return;
    this.connections.delete(key);
    connection.client.then((c) => c.endAsync(true)).catch(() => undefined);
  }

  /** `lane`: the filter that the connection is for alone. */
  private connection(broker: BrokerRef, lane?: string): Connection {
    if (lane === undefined && this.last?.broker === broker && !this.last.connection.gone) return this.last.connection;
    const at = lane === undefined ? this.byRef.get(broker) : undefined;
    if (at && !at.gone) {
      this.last = { broker, connection: at };
      return at;
    }
    const key = keyOf(broker, lane);
    const known = this.connections.get(key);
    if (known) {
      if (lane === undefined) this.byRef.set(broker, known);
      return known;
    }
    const takers: Connection['takers'] = new Map();
    const pending: Connection['pending'] = new Set();
    const client = connectAsync(
      broker.address,
      {
        protocolVersion: broker.version,
        clientId: `hinge-${randomUUID()}`,
        connectTimeout: GATEWAY_LIMITS.connectMs,
        reconnectPeriod: GATEWAY_LIMITS.brokerRetryMs,
        queueQoSZero: false,
        clean: true,
        resubscribe: true,
        // It looks up for each message whether anybody wants to read of it.
        log: () => undefined,
      },
      false,
    ).then(
      (c) => {
        // Nobody hears it otherwise, and it would end the process; what fails is told to whoever publishes or listens.
        c.on('error', () => undefined);
        // One look for all of them: a timer for each event would be felt.
        const give = (words: string, olderThan: number) => {
          for (const w of pending) {
            if (w.since > olderThan) continue;
            pending.delete(w);
            w.reject(new BrokerFailure(words));
          }
        };
        c.on('close', () => give('the connection broke before the confirmation', Infinity));
        const watch = setInterval(
          () =>
            give(`no confirmation within ${GATEWAY_LIMITS.brokerMs} ms`, performance.now() - GATEWAY_LIMITS.brokerMs),
          1000,
        );
        watch.unref();
        c.once('end', () => clearInterval(watch));
        c.on('message', (topic, payload, packet) => {
          const m = messageOf(packet, payload);
          for (const take of takers.get(lane ?? topic) ?? []) take(m);
        });
        c.on('connect', () => atOnce(c));
        atOnce(c);
        made.open = c;
        return c;
      },
      (error: unknown) => {
        made.gone = true;
        this.connections.delete(key);
        throw new BrokerFailure((error as Error).message || 'no connection', { cause: error });
      },
    );
    const made: Connection = { client, takers, pending };
    this.connections.set(key, made);
    return made;
  }
}

/** Resolves once the broker has confirmed it, at QoS 0 once it is written. */
function send(connection: Connection, client: MqttClient, broker: BrokerRef, m: BrokerPublish): Promise<void> {
  const { pending } = connection;
  // What cannot be sent now is refused, and not kept for later: whoever published must know.
  if (!client.connected || client.disconnecting) return Promise.reject(new BrokerFailure('not connected'));
  together(client, connection);
  if (m.qos === 0) return written(connection, client, broker, m);
  // All members at once: the client copies them, which takes long where they came one by one.
  const options: IClientPublishOptions =
    broker.version === 5
      ? { qos: m.qos, retain: m.retain, properties: propertiesOf(m) }
      : { qos: m.qos, retain: m.retain };
  return new Promise<void>((resolve, reject) => {
    const waiting: Waiting = { since: performance.now(), reject };
    pending.add(waiting);
    client.publish(m.address, m.payload as Buffer, options, (error) => {
      pending.delete(waiting);
      if (error) reject(new BrokerFailure(error.message, { cause: error }));
      else resolve();
    });
  });
}

/**
 * At QoS 0 the client keeps nothing of a message: its packet is written as one piece. The client writes each field of it
 * by itself, and copies its options first (measured: 7 µs for an event, and 2.7 so).
 */
function written(connection: Connection, client: MqttClient, { version }: BrokerRef, m: BrokerPublish): Promise<void> {
  const bytes = m.payload;
  let packet: Buffer;
  try {
    packet = generate(
      {
        cmd: 'publish',
        topic: m.address,
        payload: Buffer.isBuffer(bytes) ? bytes : Buffer.from(bytes.buffer, bytes.byteOffset, bytes.byteLength),
        qos: 0,
        retain: m.retain,
        dup: false,
        ...(version === 5 && { properties: propertiesOf(m) }),
      },
      { protocolVersion: version },
    );
  } catch (error) {
    return Promise.reject(new BrokerFailure((error as Error).message, { cause: error }));
  }
  return client.stream.write(packet) ? WRITTEN : (connection.full ??= emptied(connection, client));
}

/** Until the broker has taken what is written already: one wait for all of them. */
function emptied(connection: Connection, { stream }: MqttClient): Promise<void> {
  const { pending } = connection;
  return new Promise<void>((resolve, reject) => {
    const over = () => {
      pending.delete(waiting);
      stream.off('drain', empty);
      connection.full = undefined;
    };
    const empty = () => {
      over();
      resolve();
    };
    const waiting: Waiting = {
      since: performance.now(),
      reject: (error) => {
        over();
        reject(error);
      },
    };
    pending.add(waiting);
    stream.once('drain', empty);
  });
}

const WRITTEN = Promise.resolve();

const isFilter = (address: string): boolean => /(^|\/)[+#](\/|$)/.test(address);
const keyOf = (broker: BrokerRef, lane: string | undefined): string =>
  `${broker.address} ${broker.version}${lane === undefined ? '' : ` ${lane}`}`;

function propertiesOf({ mediaType, properties }: BrokerPublish): NonNullable<IClientPublishOptions['properties']> {
  if (!properties) return mediaType === undefined ? {} : { contentType: mediaType };
  return { ...(mediaType !== undefined && { contentType: mediaType }), userProperties: { ...properties } };
}

/** Turns are put together here; the system would wait for the broker's confirmation of what came before (RFC 1122 §4.2.3.4). */
const atOnce = (client: MqttClient): void => void (client.stream as Partial<Socket>).setNoDelay?.(true);

/** What is published in one turn of the process leaves by one call into the system. */
function together(client: MqttClient, connection: Connection): void {
  if (connection.held) return;
  connection.held = true;
  const { stream } = client;
  stream.cork();
  setImmediate(() => {
    connection.held = undefined;
    stream.uncork();
  });
}

/** Why the broker refused; undefined once it agreed, and where it is away: it is asked when it is back. */
function subscribed(client: MqttClient, filter: string): Promise<string | undefined> {
  return new Promise((resolve) => {
    const timer = setTimeout(() => resolve(undefined), GATEWAY_LIMITS.brokerMs).unref();
    client.subscribe(filter, { qos: 1 }, (error, granted) => {
      clearTimeout(timer);
      const refused = granted?.find((g) => g.qos >= 128);
      resolve(error ? error.message : refused ? `the broker refused the subscription to ${filter}` : undefined);
    });
  });
}

function messageOf(packet: IPublishPacket, payload: Uint8Array = packet.payload as Buffer): BrokerMessage {
  const properties = packet.properties?.userProperties;
  return {
    payload,
    address: packet.topic,
    mediaType: packet.properties?.contentType,
    ...(properties && { properties: single(properties) }),
  };
}

/** A property that came several times counts with its first value. */
function single(properties: Readonly<Record<string, string | readonly string[]>>): Record<string, string> {
  return Object.fromEntries(Object.entries(properties).map(([k, v]) => [k, typeof v === 'string' ? v : (v[0] ?? '')]));
}
