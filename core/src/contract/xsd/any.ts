import type { QName } from '../../xml';
import { XSD, type ComplexType, type Wildcard } from './components';

const ANY: Wildcard = { kind: 'any', namespaces: '##any', process: 'lax', target: '' };

/** A type of any elements and attributes. */
export const openType = (name: QName, mixed: boolean): ComplexType => ({
  kind: 'complex',
  name,
  abstract: false,
  mixed,
  derivation: 'restriction',
  content: {
    kind: 'elements',
    particle: { min: 1, max: 1, term: { kind: 'sequence', particles: [{ min: 0, max: Infinity, term: ANY }] } },
  },
  attributes: [],
  anyAttribute: [ANY],
  place: {},
});

/** xs:anyType, the ur-type (Part 1 §3.4.7): anything goes. */
export const ANY_TYPE = openType({ uri: XSD, local: 'anyType' }, true);
