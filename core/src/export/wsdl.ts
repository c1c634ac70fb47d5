import { writeWsdl } from '../contract';
import { HingeError } from '../problem';
import { openBackends } from '../flow/contracts';
import type { FlowDocument } from '../flow/document';

/** The description of a SOAP door: one self-contained WSDL with the door's own address. Throws HNG-127 for an API without one. */
export function exportWsdl(document: FlowDocument, options: { address?: string; door?: string } = {}): string {
  const soap = Object.values(document.operations).flatMap((o) => (o.soap ? [o.soap] : []));
  const name = soap[0]?.backend ?? '';
  const operations = openBackends(document).contexts.get(name)?.contract?.operations ?? [];
  const backend = soap[0] && document.backends?.[soap[0].backend];
  if (!backend?.contract) throw new HingeError('HNG-127', `${document.api.name} has no SOAP operation`);
  const door = document.doors.find((d) => d.name === options.door) ?? document.doors[0];
  return writeWsdl(
    { entry: backend.contract.entry, files: backend.contract.files ?? {} },
    {
      port: backend.contract.port,
      address: options.address ?? door?.path ?? '/',
      operations: soap
        .filter((s) => s.backend === name)
        .map((s) => operations.find((o) => o.id === s.operation)?.name ?? s.operation),
    },
  );
}
