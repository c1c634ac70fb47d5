import { topicRef, type FlowDocument, type TopicRef } from '../src';

export const familyDocument = (more: Partial<FlowDocument> = {}): FlowDocument => ({
  hinge: 1,
  api: { name: 'Quay lights', version: '1' },
  doors: [{ name: 'lights', path: '/lights', answers: 'events' }],
  topics: {
    turned: {
      address: 'quay/{berth}/light/{light}/turned',
      parameters: { berth: { values: ['north', 'south'] }, light: { description: 'Number on its mast' } },
      door: { path: '/{berth}/{light}' },
    },
  },
  operations: {},
  ...more,
});
export const familyRef = (d = familyDocument(), name = 'turned'): TopicRef => topicRef(d, name, undefined) as TopicRef;
