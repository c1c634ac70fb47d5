import { HingeError } from '../../problem';
import { placeOf, type XmlElement } from '../../xml';
import { XSD } from '../xsd';

export const WSDL = 'http://schemas.xmlsoap.org/wsdl/';

export function demandWsdl(root: XmlElement): void {
  if (root.uri === 'http://www.w3.org/ns/wsdl' || root.uri === 'http://www.w3.org/2006/01/wsdl') {
    throw new HingeError('HNG-111', `${root.file} is a WSDL 2.0 description`, placeOf(root));
  }
  if (root.uri !== WSDL || root.local !== 'definitions') {
    const what = root.uri === XSD ? 'an XML schema' : `a document with the root element ${root.local}`;
    throw new HingeError('HNG-110', `${root.file} is ${what}, not a WSDL 1.1 description`, placeOf(root));
  }
}
