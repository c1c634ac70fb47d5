import type { ContractChannel, EventContract } from '../contract';
import { FORMAT_VERSION, type FlowDocument } from '../flow/document';
import { slug, type DraftOptions } from './common';

/** A door with a path for each channel: what the application takes is published there, what it tells is heard there. */
export function draftEvents(contract: EventContract, options: DraftOptions = {}): FlowDocument {
  const names = new Set<string>();
  const brokerNames = new Map(contract.brokers.map((b) => [b.name, unused(slug(b.name), names)]));
  // An address that was given takes the place of them all; without any broker in the contract it makes one.
  if (options.address !== undefined && !contract.brokers.length) brokerNames.set('', unused('broker', names));
  const brokers = Object.fromEntries(
    [...brokerNames].map(([name, own]) => {
      const said = contract.brokers.find((b) => b.name === name);
      return [
        own,
        {
          ...(said?.description && { description: said.description }),
          address: options.address ?? said!.address,
          ...(said?.version && { version: said.version }),
        },
      ];
    }),
  );
  const taken = new Set<string>();
  const topics = contract.channels.map((c) => {
    const broker =
      brokerNames.get(c.broker ?? '') ?? (options.address === undefined ? undefined : Object.keys(brokers)[0]);
    return [unused(slug(c.id), taken), topicOf(c, broker)] as const;
  });
  const name = options.name ?? contract.name;
  return {
    hinge: FORMAT_VERSION,
    api: {
      name,
      version: contract.version ?? '1.0.0',
      ...(contract.documentation && { description: contract.documentation }),
    },
    doors: [{ name: 'events', path: options.base ?? `/${slug(name)}/v1`, answers: 'events' }],
    guards: [{ kind: 'schema' }],
    ...(Object.keys(brokers).length > 0 && { brokers }),
    types: { ...contract.types },
    topics: Object.fromEntries(topics),
    operations: {},
  };
}

type Topic = NonNullable<FlowDocument['topics']>[string];

function topicOf(c: ContractChannel, broker: string | undefined): Topic {
  const path = `/${c.address.replace(/^\/+/, '')}`;
  const door = {
    ...(/^\/[^?#*\s]*$/.test(path) && { path }),
    ...(!c.taken && { publish: false }),
    ...(!c.told && { listen: false }),
  };
  return {
    ...(c.title && { title: c.title }),
    ...(c.description && { description: c.description }),
    ...(broker !== undefined && { broker }),
    address: c.address,
    ...parametersOf(c),
    ...(c.schema && { schema: c.schema as Topic['schema'] }),
    ...(c.cloudEvents && { form: 'cloudevents' as const }),
    ...(c.qos !== undefined && { qos: c.qos }),
    ...(c.retain !== undefined && { retain: c.retain }),
    ...(Object.keys(door).length > 0 && { door }),
  };
}

/** What is said of parameters; of those that nothing is said of, the address tells enough. */
function parametersOf({ parameters }: ContractChannel): Pick<Topic, 'parameters'> {
  const said = Object.entries(parameters ?? {}).filter(([, p]) => Object.keys(p).length > 0);
  return said.length ? { parameters: Object.fromEntries(said) as Topic['parameters'] } : {};
}

function unused(wanted: string, names: Set<string>): string {
  let name = wanted;
  for (let n = 2; names.has(name); n++) name = `${wanted}-${n}`;
  names.add(name);
  return name;
}
