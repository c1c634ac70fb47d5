import { channelPath, pathWith, type FlowDocument } from '@hinge/core';
import { Told } from '../../lib/route';
import { configFor, gatewayStates } from '../gateways/server';

/** Where a topic is on a gateway that runs it: the release that runs there decides, not the draft. */
export async function topicAddress(
  slug: string,
  topic: string,
  environment: string,
  /** For its parameters; those without one are open. */
  values: Readonly<Record<string, string>> = {},
): Promise<string> {
  const document = await runningIn(slug, environment);
  const found = document.topics?.[topic];
  const door = document.doors.find((d) => d.answers === 'events');
  if (!found || !door)
    throw new Told(
      409,
      `What runs in ${environment} has no ${found ? 'door that answers events' : `topic ${topic}`}: release this draft first.`,
    );
  return `${await gatewayIn(environment)}${door.path.replace(/\/$/, '')}${pathWith(channelPath(topic, found), values)}`;
}

/** Where the graph of an API is on a gateway that runs it. */
export async function graphAddress(slug: string, environment: string): Promise<string> {
  const door = (await runningIn(slug, environment)).doors.find((d) => d.answers === 'graphql');
  if (!door)
    throw new Told(409, `What runs in ${environment} has no door that answers graphql: release this draft first.`);
  return `${await gatewayIn(environment)}${door.path}`;
}

async function runningIn(slug: string, environment: string): Promise<FlowDocument> {
  const { apis } = await configFor(environment);
  const document = apis.find((a) => a.slug === slug)?.document as FlowDocument | undefined;
  if (!document) throw new Told(409, `Nothing of this API runs in ${environment} yet: release it first.`);
  return document;
}

async function gatewayIn(environment: string): Promise<string> {
  const gateway = (await gatewayStates()).find((g) => g.environment === environment && g.address);
  if (!gateway?.address) throw new Told(409, `There is no gateway in ${environment}.`);
  return gateway.address;
}
