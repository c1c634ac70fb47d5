import type { QName } from '../../xml';
import { openType } from './any';
import { builtinType } from './builtins';
import type { ComplexType, Type } from './components';

/**
 * Namespaces of SOAP's encoding (SOAP 1.1 §5, SOAP 1.2 Part 2 §3). Documents name what they declare without bringing them along, also where
 * their messages are literal.
 */
export const SOAP_ENCODINGS: ReadonlySet<string> = new Set([
  'http://schemas.xmlsoap.org/soap/encoding/',
  'http://www.w3.org/2003/05/soap-encoding',
]);

/** Its simple types are those of XML Schema that could have an id; its arrays and structures hold any elements. */
export function encodingType(q: QName): Type | undefined {
  if (!SOAP_ENCODINGS.has(q.uri)) return undefined;
  if (q.local !== 'Array' && q.local !== 'Struct') return builtinType(q.local === 'base64' ? 'base64Binary' : q.local);
  const key = `${q.uri} ${q.local}`;
  let type = open.get(key);
  if (!type) open.set(key, (type = openType(q, false)));
  return type;
}

const open = new Map<string, ComplexType>();
