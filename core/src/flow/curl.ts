import { writeJson } from '../codec/json';
import { incomingOf } from './rehearse';
import type { FlowDocument, SampleRequest } from './document';

/** The request of a case as a line for a terminal, quoted for POSIX shells. */
export function curlLine(document: FlowDocument, operationId: string, sample: SampleRequest, address: string): string {
  const operation = document.operations[operationId];
  const door = document.doors[0];
  if (!operation || !door) return '';
  const incoming = incomingOf(operation, door.path, sample);
  const parts = ['curl', '-i'];
  if (incoming.method !== 'GET') parts.push('-X', incoming.method);
  parts.push(quote(`${address.replace(/\/$/, '')}${incoming.url}${incoming.search}`));
  for (const [name, value] of Object.entries(incoming.headers)) parts.push('-H', quote(`${name}: ${value}`));
  if (sample.body !== undefined)
    parts.push('--data-binary', quote(typeof sample.body === 'string' ? sample.body : writeJson(sample.body)));
  return parts.join(' ');
}

const quote = (text: string): string => `'${text.replace(/'/g, `'\\''`)}'`;
