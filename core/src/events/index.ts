export {
  EventError,
  eventsOf,
  fromStructured,
  toStructured,
  withAttributes,
  BATCH,
  STRUCTURED,
  type TopicEvent,
} from './event';
export { EVENT_LIMITS, HeldTopics, TopicHubs } from './hub';
export { eventFrom, newEvent, payloadOf } from './wire';
export { eventOperation } from './door';
export { EventStream, SocketTalk, Stream, STREAM } from './stream';
export {
  BrokerFailure,
  protocolOf,
  type BrokerMessage,
  type BrokerPublish,
  type BrokerRef,
  type Brokers,
  type Delivery,
  type Listener,
  type Published,
  type StopTaking,
  type Subscribers,
  type TopicRef,
  type Topics,
} from './ports';
export { addressOf, parameterNames, pathWith, readAddress, refWith, valueFault, type TopicFamily } from './family';
export { channelPath, topicParameters, topicRef, type BrokerDocument, type TopicDocument } from './topic';
export { Webhooks } from './webhooks';
export {
  WEBHOOK_LIMITS,
  type Attempt,
  type KeptSubscription,
  type WebhookDelivery,
  type WebhookSubscription,
} from './webhook-views';
export { allSpans, RATE_LIMITS, Rates, type RateRow, type TopicRate } from './rates';
export { shaperOf, type ShapeContext } from './shape';
export { BACKGROUND_LIMITS, type ConsumerDocument, type PollDocument } from './background';
export { consumerOf, eventHeaders, type ConsumerWorld, type Handled } from './consumer';
export { changeEvent, pollerOf, type PollChange, type Seen } from './poll';
export { publishTo, readValues, refOf } from './publishing';
