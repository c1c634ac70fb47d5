import type { ElementDecl } from '../xsd';

/** What a SOAP operation looks like on the wire. */
export interface SoapOperation {
  readonly version: '1.1' | '1.2';
  /** SOAPAction header (SOAP 1.1 §6.1.1) or `action` parameter (SOAP 1.2 Part 2 §6.5.3). */
  readonly action: string;
  readonly style: 'document' | 'rpc';
  readonly input: SoapMessage;
  /** Absent for a one-way operation (WSDL 1.1 §2.4.1). */
  readonly output?: SoapMessage;
  readonly faults: readonly SoapFaultDecl[];
  /** Address of its port, where that is not the one of the contract's first port. */
  readonly address?: string;
}

export interface SoapMessage {
  /** The one element in soap:Body; absent for an empty body. */
  readonly body?: ElementDecl;
  readonly headers: readonly SoapHeaderDecl[];
}

export interface SoapHeaderDecl {
  readonly element: ElementDecl;
}

export interface SoapFaultDecl {
  readonly name: string;
  readonly element: ElementDecl;
  /** A header fault: the element comes as a header block beside the fault. */
  readonly inHeader?: boolean;
}

export const SOAP_ENVELOPE = {
  '1.1': 'http://schemas.xmlsoap.org/soap/envelope/',
  '1.2': 'http://www.w3.org/2003/05/soap-envelope',
} as const;

export type SoapVersion = keyof typeof SOAP_ENVELOPE;
