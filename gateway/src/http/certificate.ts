import type { ClientCertificate } from '@hinge/core';
import type { Socket } from 'node:net';
import type { PeerCertificate, TLSSocket } from 'node:tls';

/** TLS that the gateway ends itself. PEM texts. */
export interface TlsOptions {
  readonly cert: string;
  readonly key: string;
  /** Authorities of callers: with them each caller is asked for a certificate; doors say whether one is needed. */
  readonly ca?: string;
  /** Certificates that their authorities have revoked (RFC 5280 §5), several lists one behind the other. */
  readonly crl?: string;
}

const known = new WeakMap<Socket, ClientCertificate | undefined>();

/** What the caller showed when the connection was made; undefined where there is none. Read once for each connection. */
export function certificateOf(socket: Socket): ClientCertificate | undefined {
  if (!(socket as Partial<TLSSocket>).encrypted) return undefined;
  if (!known.has(socket)) known.set(socket, read(socket as TLSSocket));
  return known.get(socket);
}

function read(socket: TLSSocket): ClientCertificate | undefined {
  const c = socket.getPeerCertificate() as Partial<PeerCertificate>;
  if (c.fingerprint256 === undefined) return undefined;
  const cn: unknown = c.subject?.CN;
  const commonName = Array.isArray(cn) ? (cn[0] as string) : (cn as string | undefined);
  return {
    subject: nameText(c.subject),
    issuer: nameText(c.issuer),
    ...(commonName !== undefined && { commonName }),
    names: c.subjectaltname?.split(', ') ?? [],
    fingerprint: c.fingerprint256,
    // Node has held the chain against the authorities, with the dates (RFC 5280 §6).
    ...(!socket.authorized && { problem: String(socket.authorizationError) }),
  };
}

const nameText = (name: object | undefined): string =>
  Object.entries(name ?? {})
    .flatMap(([k, v]) => [v as string | string[]].flat().map((one) => `${k}=${one}`))
    .join(', ');
