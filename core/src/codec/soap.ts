import { SaxesParser } from 'saxes';
import {
  SOAP_ENVELOPE,
  type SoapFaultDecl,
  type SoapMessage,
  type SoapOperation,
  type SoapVersion,
} from '../contract/wsdl/model';
import type { ElementDecl } from '../contract/xsd';
import { LIMITS } from '../limits';
import { escapeText, keyOf } from '../xml';
import { ElementReader, ElementWriter, isObject, type SeenAttribute, type ShapeFault } from './xml';

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
    const writer = new ElementWriter();
    header += writer.element(element, v, `/soapHeader/${element.name}`);
    faults.push(...writer.faults);
  }
  for (const name of Object.keys(given)) {
    if (!message.headers.some((h) => h.element.name === name))
      faults.push({ pointer: `/soapHeader/${name}`, words: `the binding declares no header ${name}`, kind: 'unknown' });
  }
  let body = '';
  if (message.body) {
    const writer = new ElementWriter('/body');
    body = writer.message(message.body, value.body);
    faults.push(...writer.faults);
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
    return new EnvelopeReader(expect, lenient).read(text);
  } catch (error) {
    if (error instanceof Unreadable) return { kind: 'unreadable', words: error.message };
    throw error;
  }
}

class Unreadable extends Error {}

type Part = 'outside' | 'envelope' | 'header' | 'body' | 'fault' | 'faultDetail';

class EnvelopeReader {
  private readonly parser = new SaxesParser({ xmlns: true, position: true });
  private part: Part = 'outside';
  private depth = 0;
  private envelope = '';
  private reader: ElementReader | undefined;
  private readerDone: (value: unknown) => void = () => undefined;
  private skip = 0;
  private readonly faults: ShapeFault[] = [];
  private readonly soapHeader: Record<string, unknown> = {};
  private body: unknown = undefined;
  private sawBody = false;
  private sawContent = false;
  private fault: { codes: string[]; reason: string; name?: string; detail?: unknown; detailText: string } | undefined;
  private path: string[] = [];
  private chars = '';

  constructor(
    private readonly expect: Expect,
    private readonly lenient: boolean,
  ) {}

  read(text: string): SoapAnswer {
    const p = this.parser;
    p.on('error', (e) => {
      throw new Unreadable(`not well-formed XML at line ${p.line}: ${e.message.replace(/^\d+:\d+: /, '')}`);
    });
    p.on('doctype', () => {
      throw new Unreadable(`a document type (DTD) stands at line ${p.line}; none is read`);
    });
    p.on('opentag', (tag) => {
      if (++this.depth > LIMITS.xmlDepth) throw new Unreadable(`elements are nested deeper than ${LIMITS.xmlDepth}`);
      const attributes: SeenAttribute[] = [];
      for (const name in tag.attributes) {
        const a = tag.attributes[name]!;
        if (a.prefix !== 'xmlns' && name !== 'xmlns') attributes.push(a);
      }
      this.open(tag.uri, tag.local, attributes);
    });
    p.on('text', (t) => this.text(t));
    p.on('cdata', (t) => this.text(t));
    p.on('closetag', (tag) => {
      this.depth--;
      this.close(tag.local);
    });
    p.write(text.charCodeAt(0) === 0xfeff ? text.slice(1) : text);
    p.close();
    return this.answer();
  }

  private answer(): SoapAnswer {
    if (!this.sawBody) throw new Unreadable('the envelope has no body');
    if (this.fault) {
      const code = this.fault.codes.join('/') || 'Server';
      const first = this.fault.codes[0] ?? '';
      const detail = this.fault.detail ?? (this.fault.detailText.trim() || undefined);
      return {
        kind: 'fault',
        fault: {
          code,
          reason: this.fault.reason.trim(),
          name: this.fault.name,
          detail,
          sender: /^(Client|Sender)\b/.test(first),
        },
      };
    }
    if (this.expect.message.body && !this.sawContent)
      throw new Unreadable(`the body is empty; ${this.expect.message.body.name} was expected`);
    const value: SoapValue = Object.keys(this.soapHeader).length
      ? { body: this.body ?? {}, soapHeader: this.soapHeader }
      : { body: this.body ?? {} };
    return { kind: 'reply', value, faults: this.faults };
  }

  private open(uri: string, local: string, attributes: readonly SeenAttribute[]): void {
    if (this.skip > 0) {
      this.skip++;
      return;
    }
    if (this.reader) {
      this.reader.open(uri, local, attributes);
      return;
    }
    switch (this.part) {
      case 'outside':
        if (local !== 'Envelope' || (uri !== SOAP_ENVELOPE['1.1'] && uri !== SOAP_ENVELOPE['1.2']))
          throw new Unreadable(`the root element is ${local}, not a SOAP envelope`);
        this.envelope = uri;
        this.part = 'envelope';
        return;
      case 'envelope':
        if (uri === this.envelope && local === 'Header') this.part = 'header';
        else if (uri === this.envelope && local === 'Body') {
          this.part = 'body';
          this.sawBody = true;
        } else this.skip = 1;
        return;
      case 'header': {
        const decl = this.expect.message.headers.find(
          (h) => h.element.name === local && h.element.uri === uri,
        )?.element;
        if (decl)
          this.start(
            decl,
            attributes,
            (v) => (this.soapHeader[decl.name] = decl.type.kind === 'simple' && isObject(v) ? v.value : v),
          );
        else this.skip = 1;
        return;
      }
      case 'body':
        if (uri === this.envelope && local === 'Fault') {
          this.part = 'fault';
          this.fault = { codes: [], reason: '', detailText: '' };
          this.path = [];
        } else this.content(uri, local, attributes);
        return;
      case 'fault':
        this.path.push(local);
        this.chars = '';
        if (local === 'detail' || (local === 'Detail' && uri === this.envelope)) this.part = 'faultDetail';
        return;
      case 'faultDetail': {
        const decl = this.expect.faults.find((f) => keyOf(f.element.uri, f.element.name) === keyOf(uri, local));
        if (!decl) {
          this.skip = 1;
          return;
        }
        const fault = this.fault!;
        fault.name = decl.name;
        this.start(decl.element, attributes, (v) => (fault.detail = v));
      }
    }
  }

  private content(uri: string, local: string, attributes: readonly SeenAttribute[]): void {
    const decl = this.expect.message.body;
    if (this.sawContent) throw new Unreadable('the body holds more than one element');
    this.sawContent = true;
    if (!decl) {
      this.skip = 1;
      return;
    }
    if (local !== decl.name || uri !== decl.uri)
      throw new Unreadable(
        `the body holds ${local} of namespace ${uri || '(none)'}; ${decl.name} of ${decl.uri || '(none)'} was expected`,
      );
    this.start(decl, attributes, (v) => (this.body = v));
  }

  private start(decl: ElementDecl, attributes: readonly SeenAttribute[], done: (value: unknown) => void): void {
    this.reader = new ElementReader(decl, this.faults, this.lenient);
    this.readerDone = done;
    this.reader.begin(attributes);
  }

  private text(t: string): void {
    if (this.reader) this.reader.text(t);
    else if (this.part === 'fault') this.chars += t;
    else if (this.part === 'faultDetail') this.fault!.detailText += t;
  }

  private close(local: string): void {
    if (this.skip > 0) {
      this.skip--;
      return;
    }
    if (this.reader) {
      if (this.reader.close()) {
        this.readerDone(this.reader.value);
        this.reader = undefined;
      }
      return;
    }
    switch (this.part) {
      case 'faultDetail':
        this.path.pop();
        this.part = 'fault';
        return;
      case 'fault':
        if (this.path.length === 0) this.part = 'body';
        else {
          this.faultField(local);
          this.path.pop();
        }
        return;
      case 'header':
      case 'body':
        this.part = 'envelope';
        return;
      case 'envelope':
        this.part = 'outside';
    }
  }

  /** SOAP 1.1 §4.4 faultcode, faultstring; SOAP 1.2 Part 1 §5.4 Code/Value, Subcode/Value, Reason/Text. */
  private faultField(local: string): void {
    const fault = this.fault!;
    const t = this.chars.trim();
    if (local === 'faultcode' || (local === 'Value' && t)) fault.codes.push(t.slice(t.indexOf(':') + 1));
    else if (local === 'faultstring') fault.reason = t;
    else if (local === 'Text' && !fault.reason) fault.reason = t;
    this.chars = '';
  }
}

/** A fault envelope of the given version; `detail` is XML. */
export function writeFault(version: SoapVersion, fault: { sender: boolean; reason: string; detail?: string }): string {
  const ns = SOAP_ENVELOPE[version];
  const reason = escapeText(fault.reason);
  const inner =
    version === '1.1'
      ? `<faultcode>s:${fault.sender ? 'Client' : 'Server'}</faultcode><faultstring>${reason}</faultstring>${fault.detail ? `<detail>${fault.detail}</detail>` : ''}`
      : `<s:Code><s:Value>s:${fault.sender ? 'Sender' : 'Receiver'}</s:Value></s:Code><s:Reason><s:Text xml:lang="en">${reason}</s:Text></s:Reason>${fault.detail ? `<s:Detail>${fault.detail}</s:Detail>` : ''}`;
  return `<?xml version="1.0" encoding="UTF-8"?>\n<s:Envelope xmlns:s="${ns}"><s:Body><s:Fault>${inner}</s:Fault></s:Body></s:Envelope>`;
}
