export type Severity = 'error' | 'warning' | 'info';

export interface CodeRow {
  readonly severity: Severity;
  readonly title: string;
  readonly remedy: string;
  readonly status?: number;
}

/** 1xx: reading XML and contracts. */
export const CONTRACT_CODES = {
  'HNG-101': { severity: 'error', title: 'The XML is not well-formed', remedy: 'Correct the XML at the given line.' },
  'HNG-102': {
    severity: 'error',
    title: 'The XML declares a document type (DTD)',
    remedy: 'Remove the <!DOCTYPE …> declaration; entities and DTDs are never read.',
  },
  'HNG-103': {
    severity: 'error',
    title: 'The document is larger or deeper than the bounds allow',
    remedy: 'Split the document, or leave out what no operation uses.',
  },
  'HNG-104': {
    severity: 'error',
    title: 'The character encoding cannot be read',
    remedy: 'Save the document as UTF-8, or name its true encoding in the XML declaration.',
  },
  'HNG-110': {
    severity: 'error',
    title: 'This is not a WSDL 1.1 document',
    remedy: 'Give the WSDL of the service: its root element is wsdl:definitions.',
  },
  'HNG-111': {
    severity: 'error',
    title: 'This is a WSDL 2.0 document',
    remedy: 'Ask the service for its WSDL 1.1 description; most servers offer both.',
  },
  'HNG-112': {
    severity: 'error',
    title: 'An imported document is missing',
    remedy: 'Add the named file beside the WSDL, or give the WSDL by URL so that it can be fetched.',
  },
  'HNG-113': {
    severity: 'error',
    title: 'A prefix is not bound to a namespace',
    remedy: 'Declare the prefix with xmlns:… on this element or one above it.',
  },
  'HNG-114': {
    severity: 'error',
    title: 'No binding that can be called',
    remedy: 'The WSDL needs a SOAP 1.1 or SOAP 1.2 binding over HTTP.',
  },
  'HNG-115': {
    severity: 'error',
    title: 'A name refers to nothing',
    remedy: 'Declare the component, or import the schema or WSDL that declares it.',
  },
  'HNG-116': { severity: 'error', title: 'The schema is not valid', remedy: 'Correct the schema at the given line.' },
  'HNG-117': {
    severity: 'warning',
    title: 'An operation cannot be called',
    remedy: 'Leave the operation out, or offer it as document/literal or rpc/literal.',
  },
  'HNG-118': {
    severity: 'warning',
    title: 'A part of the schema is open',
    remedy: 'It travels whole, in the general form of XML as JSON (docs/xml-json.md); nothing checks it.',
  },
  'HNG-119': {
    severity: 'warning',
    title: 'A pattern of the schema cannot be held',
    remedy: 'Correct the pattern in the schema; until then the backend alone judges the values.',
  },
  'HNG-121': {
    severity: 'error',
    title: 'The document is neither JSON nor YAML',
    remedy: 'Correct the text at the given line.',
  },
  'HNG-122': {
    severity: 'error',
    title: 'This is not a contract of a version that can be read',
    remedy:
      'Give a WSDL 1.1, an OpenAPI document of version 2.0, 3.0 or 3.1, or for topics AsyncAPI 2.0 to 2.6 or 3.0.',
  },
  'HNG-123': {
    severity: 'info',
    title: 'A name was changed',
    remedy: 'Nothing to do; names are kept apart and to what this product allows.',
  },
  'HNG-124': {
    severity: 'error',
    title: 'The contract describes no operation',
    remedy: 'Give the document that has the paths.',
  },
  'HNG-125': {
    severity: 'warning',
    title: 'A path parameter is not declared',
    remedy: 'It counts as text; declare it in the contract.',
  },
  'HNG-126': {
    severity: 'error',
    title: 'The contract cannot be written as one document',
    remedy: 'Write the type that is redefined twice out in one schema.',
  },
  'HNG-127': {
    severity: 'error',
    title: 'The API has no SOAP door',
    remedy: 'Draft one from a WSDL: ./hinge draft FILE.wsdl --as soap.',
  },
  'HNG-128': {
    severity: 'warning',
    title: 'Something of the contract cannot be used here',
    remedy: 'Say it in the document by hand, where it is needed.',
  },
  'HNG-129': {
    severity: 'error',
    title: 'The API has no door to topics',
    remedy: 'Draft one from an AsyncAPI document: ./hinge draft FILE.yaml --as events.',
  },
  'HNG-120': {
    severity: 'error',
    title: 'The document cannot be fetched',
    remedy: 'Check the address or the path, and that it can be reached from here.',
  },
} as const satisfies Record<string, CodeRow>;
