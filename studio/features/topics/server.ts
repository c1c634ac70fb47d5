import { channelPath, type FlowDocument } from '@hinge/core';
import { Told } from '../../lib/route';
import { configFor, gatewayStates } from '../gateways/server';

/** Where a topic is on a gateway that runs it: the release that runs there decides, not the draft. */
export async function topicAddress(slug: string, topic: string, environment: string): Promise<string> {
  const { apis } = await configFor(environment);
  const document = apis.find((a) => a.slug === slug)?.document as FlowDocument | undefined;
  const found = document?.topics?.[topic];
  const door = document?.doors.find((d) => d.answers === 'events');
  if (!found || !door)
    throw new Told(
      409,
      document
        ? `What runs in ${environment} has no ${found ? 'door that answers events' : `topic ${topic}`}: release this draft first.`
        : `Nothing of this API runs in ${environment} yet: release it first.`,
    );
  const gateway = (await gatewayStates()).find((g) => g.environment === environment && g.address);
  if (!gateway) throw new Told(409, `There is no gateway in ${environment}.`);
  return `${gateway.address}${door.path.replace(/\/$/, '')}${channelPath(topic, found)}`;
}
