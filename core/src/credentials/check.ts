import type { Contract, ContractOperation, SecurityScheme } from '../contract';
import type { BackendDocument } from '../flow/document';
import { finding, type Finding } from '../problem';
import type { CredentialDocument } from './schema';

/** Whether what the gateway shows is what the contract asks for, for the operations that flows call. */
export function checkCredentials(
  name: string,
  backend: BackendDocument,
  contract: Contract | undefined,
  used: ReadonlySet<string>,
  report: (f: Finding) => void,
): void {
  const pointer = `/backends/${name}/credentials`;
  backend.credentials?.forEach((c, i) => {
    if (c.kind === 'username-token' && contract && !contract.operations.some((o) => o.soap))
      report(
        finding('HNG-332', `a UsernameToken stands in SOAP headers, and ${name} has none`, {
          pointer: `${pointer}/${i}`,
        }),
      );
  });
  if (backend.credentials?.length || !contract) return;
  const asking = contract.operations.filter((o) => used.has(o.id) && asks(o));
  if (!asking.length) return;
  const schemes = [...new Set(asking.flatMap((o) => o.http!.security))];
  const shown = asking.slice(0, 3).map((o) => o.id);
  const more = asking.length > shown.length ? ` and ${asking.length - shown.length} more` : '';
  report(
    finding(
      'HNG-331',
      `${name} asks for credentials (${schemes.join(' or ')}) at ${shown.join(', ')}${more}, and the gateway has none for it`,
      { pointer },
    ),
  );
}

const asks = (o: ContractOperation): boolean => o.http !== undefined && o.http.security.length > 0 && !o.http.openToAll;

/** The credential that a security scheme of a contract asks for, its secret named after the backend; undefined where we have no such kind. */
export function suggestCredential(scheme: SecurityScheme, backend: string): CredentialDocument | undefined {
  const secret = `${backend}-${scheme.kind === 'basic' ? 'password' : scheme.kind === 'client' ? 'client-secret' : scheme.kind === 'key' ? 'key' : 'token'}`;
  switch (scheme.kind) {
    case 'basic':
      return { kind: 'basic', user: 'user', secret };
    case 'bearer':
      return { kind: 'bearer', secret };
    case 'key':
      return { kind: 'key', in: scheme.in, name: scheme.parameter, secret };
    case 'client':
      return {
        kind: 'client',
        tokenUrl: scheme.tokenUrl,
        clientId: 'client',
        secret,
        ...(scheme.scopes.length && { scopes: [...scheme.scopes] }),
      };
    case 'other':
      return undefined;
  }
}
