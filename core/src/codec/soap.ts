import {
  SOAP_ENVELOPE,
  type SoapFaultDecl,
  type SoapMessage,
  type SoapOperation,
  type SoapVersion,
} from '../contract/wsdl/model';
import { Body } from '../message/body';
import type { Message } from '../message/message';
import { CLOSE, escapeText, OPEN, TEXT, XmlError, XmlScanner } from '../xml';
import {
  isObject,
  PLAIN,
  ReadContext,
  readElement,
  readMessageElement,
  readPlainNamed,
  writeMessageElement,
  writeOneElement,
  type ShapeFault,
} from './xml';

/** A SOAP message as JSON: content of the body element, and declared header blocks by local name. */
export interface SoapValue {
  readonly body: unknown;
  readonly soapHeader?: Record<string, unknown>;
}

export interface Written {
  readonly text: string;
  readonly faults: readonly ShapeFault[];
}

export const soapMediaType = (op: Pick<SoapOperation, 'version' | 'action'>): string =>
  op.version === '1.1'
    ? 'text/xml; charset=utf-8'
    : `application/soap+xml; charset=utf-8${op.action ? `; action="${op.action}"` : ''}`;

/** Writes the envelope of a request or a reply. Header blocks whose content is simple take the bare value. */
export function writeSoap(version: SoapVersion, message: SoapMessage, value: SoapValue): Written {
  const faults: ShapeFault[] = [];
  let header = '';
  const given = value.soapHeader ?? {};
  for (const { element } of message.headers) {
    const v = given[element.name];
    if (v === undefined) continue;
    const block = writeOneElement(element, v, `/soapHeader/${element.name}`);
    header += block.text;
    faults.push(...block.faults);
  }
  for (const name of Object.keys(given)) {
    if (!message.headers.some((h) => h.element.name === name))
      faults.push({ pointer: `/soapHeader/${name}`, words: `the binding declares no header ${name}`, kind: 'unknown' });
  }
  let body = '';
  if (message.body) {
    const content = writeMessageElement(message.body, value.body, '/body');
    body = content.text;
    faults.push(...content.faults);
  } else if (isObject(value.body) && Object.keys(value.body).length > 0) {
    faults.push({ pointer: `/body/${Object.keys(value.body)[0]}`, words: 'the message has no body', kind: 'unknown' });
  }
  const head = header ? `<s:Header>${header}</s:Header>` : '';
  return {
    text: `<?xml version="1.0" encoding="UTF-8"?>\n<s:Envelope xmlns:s="${SOAP_ENVELOPE[version]}">${head}<s:Body>${body}</s:Body></s:Envelope>`,
    faults,
  };
}

export interface SoapFault {
  /** Local name of the code, e.g. Client or Sender; sub-codes of SOAP 1.2 follow after a slash. */
  readonly code: string;
  readonly reason: string;
  /** Name of the declared fault whose detail element came. */
  readonly name?: string;
  /** Typed detail as JSON; its text where no declared fault fits. */
  readonly detail?: unknown;
  /** True when the sender is at fault (Client, Sender). */
  readonly sender: boolean;
}

export type SoapAnswer =
  | { readonly kind: 'reply'; readonly value: SoapValue; readonly faults: readonly ShapeFault[] }
  | { readonly kind: 'fault'; readonly fault: SoapFault }
  | { readonly kind: 'unreadable'; readonly words: string };

interface Expect {
  readonly message: SoapMessage;
  readonly faults: readonly SoapFaultDecl[];
}

/** Reads an envelope of either version in one pass over the text. */
export function readSoap(text: string, expect: Expect, lenient = false): SoapAnswer {
  try {
    return readEnvelope(new XmlScanner(text), expect, lenient);
  } catch (error) {
    if (error instanceof Unreadable) return { kind: 'unreadable', words: error.message };
    if (!(error instanceof XmlError)) throw error;
    const words =
      error.kind === 'doctype'
        ? `a document type (DTD) stands at line ${error.line}; none is read`
        : error.kind === 'bound'
          ? `${error.message} (line ${error.line})`
          : `not well-formed XML at line ${error.line}: ${error.message}`;
    return { kind: 'unreadable', words };
  }
}

class Unreadable extends Error {}

/** The next child element of the one being read, or undefined at its end. Text between is passed over. */
function child(s: XmlScanner): boolean {
  for (;;) {
    const event = s.next();
    if (event === OPEN) return true;
    if (event === CLOSE) return false;
  }
}

function readEnvelope(s: XmlScanner, expect: Expect, lenient: boolean): SoapAnswer {
  s.next();
  const { uri: envelope, local } = s.name;
  if (local !== 'Envelope' || (envelope !== SOAP_ENVELOPE['1.1'] && envelope !== SOAP_ENVELOPE['1.2']))
    throw new Unreadable(`the root element is ${local}, not a SOAP envelope`);
  const faults: ShapeFault[] = [];
  const soapHeader: Record<string, unknown> = {};
  const refused: { name?: string; value?: unknown } = {};
  let answer: SoapAnswer | undefined;
  while (child(s)) {
    if (s.name.uri === envelope && s.name.local === 'Header')
      readHeader(s, expect, lenient, soapHeader, faults, refused);
    else if (s.name.uri === envelope && s.name.local === 'Body') {
      if (answer) throw new Unreadable('the envelope has two bodies');
      answer = readBody(s, envelope, expect, lenient, faults);
    } else s.skip();
  }
  s.next();
  if (!answer) throw new Unreadable('the envelope has no body');
  if (answer.kind === 'fault' && answer.fault.name === undefined && refused.name !== undefined)
    return { kind: 'fault', fault: { ...answer.fault, name: refused.name, detail: refused.value } };
  if (answer.kind === 'reply' && Object.keys(soapHeader).length)
    return { ...answer, value: { ...answer.value, soapHeader } };
  return answer;
}

function readHeader(
  s: XmlScanner,
  expect: Expect,
  lenient: boolean,
  into: Record<string, unknown>,
  faults: ShapeFault[],
  refused: { name?: string; value?: unknown },
): void {
  while (child(s)) {
    const { local, uri } = s.name;
    const fault = expect.faults.find((f) => f.inHeader && f.element.name === local && f.element.uri === uri);
    if (fault && refused.name === undefined) {
      refused.name = fault.name;
      refused.value = readElement(fault.element, fault.element, undefined, s, new ReadContext(true));
      continue;
    }
    const decl = expect.message.headers.find((h) => h.element.name === local && h.element.uri === uri)?.element;
    if (!decl) {
      s.skip();
      continue;
    }
    const c = new ReadContext(lenient, `/soapHeader/${decl.name}`);
    into[decl.name] = readElement(decl, decl, undefined, s, c);
    faults.push(...c.faults);
  }
}

function readBody(s: XmlScanner, envelope: string, expect: Expect, lenient: boolean, faults: ShapeFault[]): SoapAnswer {
  const decl = expect.message.body;
  let body: unknown;
  let seen = false;
  while (child(s)) {
    const { local, uri } = s.name;
    if (uri === envelope && local === 'Fault' && !seen) {
      const fault = readFault(s, expect);
      while (child(s)) s.skip();
      return { kind: 'fault', fault };
    }
    if (seen) throw new Unreadable('the body holds more than one element');
    seen = true;
    if (!decl) {
      s.skip();
      continue;
    }
    if (local !== decl.name || (uri !== decl.uri && !decl.wrapper))
      throw new Unreadable(
        `the body holds ${local} of namespace ${uri || '(none)'}; ${decl.name} of ${decl.uri || '(none)'} was expected`,
      );
    const c = new ReadContext(lenient);
    body = readMessageElement(decl, s, c);
    faults.push(...c.faults);
  }
  if (decl && !seen) throw new Unreadable(`the body is empty; ${decl.name} was expected`);
  return { kind: 'reply', value: { body: body ?? {} }, faults };
}

/** SOAP 1.1 §4.4 faultcode, faultstring, detail; SOAP 1.2 Part 1 §5.4 Code/Value, Subcode/Value, Reason/Text, Detail. */
function readFault(s: XmlScanner, expect: Expect): SoapFault {
  const codes: string[] = [];
  let reason = '';
  let detail: { name?: string; value?: unknown } = {};
  const local = (text: string) => text.trim().slice(text.trim().indexOf(':') + 1);
  const code = (): void => {
    while (child(s)) {
      if (s.name.local === 'Value') codes.push(local(leafText(s)));
      else if (s.name.local === 'Subcode') code();
      else s.skip();
    }
  };
  while (child(s)) {
    switch (s.name.local) {
      case 'faultcode':
        codes.push(local(leafText(s)));
        break;
      case 'faultstring':
        reason = leafText(s).trim();
        break;
      case 'Code':
        code();
        break;
      case 'Reason':
        while (child(s)) {
          const text = leafText(s).trim();
          reason ||= text;
        }
        break;
      case 'detail':
      case 'Detail':
        detail = readDetail(s, expect);
        break;
      default:
        s.skip();
    }
  }
  return {
    code: codes.join('/') || 'Server',
    reason,
    name: detail.name,
    detail: detail.value,
    sender: /^(Client|Sender)\b/.test(codes[0] ?? ''),
  };
}

/** The first declared detail element as its type says; else the text, or the elements without a schema. */
function readDetail(s: XmlScanner, expect: Expect): { name?: string; value?: unknown } {
  let name: string | undefined;
  let value: unknown;
  let text = '';
  const others: Record<string, unknown> = {};
  for (;;) {
    const event = s.next();
    if (event === CLOSE) break;
    if (event === TEXT) text += s.chars;
    else {
      const decl = expect.faults.find(
        (f) => !f.inHeader && f.element.uri === s.name.uri && f.element.name === s.name.local,
      );
      if (decl && name === undefined) {
        name = decl.name;
        value = readMessageElement(decl.element, s, new ReadContext(true));
      } else Object.assign(others, readPlainNamed(s, { ...PLAIN, dropNamespaces: true }));
    }
  }
  if (name !== undefined) return { name, value };
  if (Object.keys(others).length) return { value: others };
  return { value: text.trim() || undefined };
}

/** Text of an element that should hold nothing else. */
function leafText(s: XmlScanner): string {
  let out = s.simpleContent();
  if (out !== undefined) return out;
  out = s.chars;
  s.skip();
  s.skip();
  return out;
}

/** A fault envelope of the given version; `detail` is XML. */
export function writeFault(
  version: SoapVersion,
  fault: { sender: boolean; reason: string; detail?: string; code?: string },
): string {
  const ns = SOAP_ENVELOPE[version];
  const reason = escapeText(fault.reason);
  const inner =
    version === '1.1'
      ? `<faultcode>s:${fault.code ?? (fault.sender ? 'Client' : 'Server')}</faultcode><faultstring>${reason}</faultstring>${fault.detail ? `<detail>${fault.detail}</detail>` : ''}`
      : `<s:Code><s:Value>s:${fault.code ?? (fault.sender ? 'Sender' : 'Receiver')}</s:Value></s:Code><s:Reason><s:Text xml:lang="en">${reason}</s:Text></s:Reason>${fault.detail ? `<s:Detail>${fault.detail}</s:Detail>` : ''}`;
  return `<?xml version="1.0" encoding="UTF-8"?>\n<s:Envelope xmlns:s="${ns}"><s:Body><s:Fault>${inner}</s:Fault></s:Body></s:Envelope>`;
}

/** A fault as a message; the status is for whoever sends it to say. */
export function soapFaultMessage(version: SoapVersion, fault: Parameters<typeof writeFault>[1]): Message {
  const mediaType = soapMediaType({ version, action: '' });
  return {
    status: 500,
    headers: { 'content-type': mediaType },
    body: Body.ofText(writeFault(version, fault), mediaType),
    format: `SOAP ${version}`,
  };
}
