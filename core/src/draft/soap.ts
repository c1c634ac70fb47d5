import { writeSoap, soapMediaType } from '../codec/soap';
import type { Contract, ContractFiles } from '../contract';
import { FORMAT_VERSION, type CaseDocument, type FlowDocument, type OperationDocument } from '../flow/document';
import { sampleOf } from '../schema';
import { slug, type DraftOptions } from './common';
import { kebab, words } from './names';

/** A SOAP door over a SOAP backend: envelopes go through as they came, checked by the contract, and the door has its own WSDL. */
export function draftSoap(contract: Contract, source: ContractFiles, options: DraftOptions = {}): FlowDocument {
  const name = options.name ?? contract.name;
  const backend = options.backend ?? slug(contract.name);
  const address = options.address ?? contract.addresses[0];
  const operations: Record<string, OperationDocument> = {};
  const cases: CaseDocument[] = [];
  for (const op of contract.operations) {
    if (op.unusable || !op.soap) continue;
    const mediaType = op.soap.version === '1.1' ? 'text/xml' : 'application/soap+xml';
    operations[op.id] = {
      method: 'POST',
      path: '/',
      soap: { backend, operation: op.id },
      ...(op.documentation && { summary: op.documentation }),
      request: { mediaType, required: true },
      reply: { status: op.soap.output ? 200 : 202, ...(op.soap.output && { mediaType }) },
      flow: [{ kind: 'call', backend, operation: op.id }],
    };
    const sample = sampleOf(op.request.body, contract.types, { optional: true });
    const headers = Object.fromEntries(
      op.request.headers.map((h) => [h.name, sampleOf(h.schema, contract.types, { name: h.name })]),
    );
    cases.push({
      name: 'sample',
      operation: op.id,
      request: {
        headers: {
          'content-type': soapMediaType(op.soap),
          ...(op.soap.version === '1.1' && { soapaction: `"${op.soap.action}"` }),
        },
        body: writeSoap(op.soap.version, op.soap.input, { body: sample ?? {}, soapHeader: headers }).text,
      },
      note: 'Made from the contract; change the values to ones that the backend knows.',
    });
  }
  return {
    hinge: FORMAT_VERSION,
    api: { name, version: '1.0.0', ...(contract.documentation && { description: contract.documentation }) },
    doors: [{ name: 'public', path: options.base ?? `/${kebab(words(name)) || 'soap'}` }],
    guards: [{ kind: 'schema' }],
    backends: {
      [backend]: {
        contract: {
          kind: 'wsdl',
          entry: source.entry,
          ...(options.port && { port: options.port }),
          ...(!options.withoutFiles && { files: { ...source.files } }),
        },
        ...(address && { address }),
      },
    },
    operations,
    cases,
  };
}
