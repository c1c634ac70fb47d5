import type { Finding, Place } from '../../problem';
import type { JsonSchema, TypeTable } from '../../schema';

/** What an AsyncAPI document says, 2.x and 3.0 alike: channels on brokers, and who sends what there. */
export interface EventContract {
  readonly name: string;
  readonly version?: string;
  readonly documentation?: string;
  readonly brokers: readonly ContractBroker[];
  readonly channels: readonly ContractChannel[];
  readonly types: TypeTable;
  readonly findings: readonly Finding[];
}

export interface ContractBroker {
  /** Name of the server in the document. */
  readonly name: string;
  readonly description?: string;
  /** mqtt://host:port, mqtts://host:port or nats://host:port. */
  readonly address: string;
  readonly version?: '3.1.1' | '5';
}

export interface ContractChannel {
  /** Name of the channel in 3.0; in 2.x its address. */
  readonly id: string;
  /** {name} stands for a parameter. */
  readonly address: string;
  readonly parameters?: Readonly<Record<string, ChannelParameter>>;
  readonly title?: string;
  readonly description?: string;
  /** Broker among `brokers`; undefined where none of its servers is known. */
  readonly broker?: string;
  /** The application takes what others send: `receive` of 3.0, `publish` of 2.x. */
  readonly taken: boolean;
  /** The application sends and others hear: `send` of 3.0, `subscribe` of 2.x. */
  readonly told: boolean;
  readonly schema?: JsonSchema;
  /** Events are CloudEvents by their own words. */
  readonly cloudEvents: boolean;
  readonly qos?: 0 | 1;
  readonly retain?: boolean;
  readonly place?: Place;
}

export interface ChannelParameter {
  readonly description?: string;
  /** Those it may have; any when absent. */
  readonly values?: readonly string[];
  readonly example?: string;
}
