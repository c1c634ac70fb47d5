import { draftRest, readWsdl, type FlowDocument } from '@hinge/core';
import { readFileSync } from 'node:fs';
import { createServer, type IncomingMessage, type Server, type ServerResponse } from 'node:http';
import type { AddressInfo } from 'node:net';
import { join } from 'node:path';
import { BERTHS_CONTRACT, BERTHS_FILES } from '../../stand-ins/src';

export function berthsDocument(address: string): FlowDocument {
  const files: Record<string, string> = {};
  for (const n of BERTHS_FILES) files[n] = readFileSync(join(BERTHS_CONTRACT, n), 'utf8');
  const source = { entry: 'berths.wsdl', files };
  return draftRest(readWsdl(source), source, undefined, { address });
}

/** A server of the test's own on loopback. */
export async function listen(
  handler: (req: IncomingMessage, res: ServerResponse) => void,
): Promise<{ url: string; server: Server; stop: () => Promise<void> }> {
  const server = createServer(handler);
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  return {
    url: `http://127.0.0.1:${(server.address() as AddressInfo).port}`,
    server,
    stop: () =>
      new Promise((resolve) => {
        server.close(() => resolve());
        server.closeAllConnections();
      }),
  };
}

export async function eventually(what: string, holds: () => boolean | Promise<boolean>, ms = 8000): Promise<void> {
  const until = Date.now() + ms;
  while (!(await holds())) {
    if (Date.now() > until) throw new Error(`never: ${what}`);
    await new Promise((r) => setTimeout(r, 20));
  }
}
