import type { SecurityScheme } from './model';
import { isTree, type Tree } from './source';

const text = (v: unknown): string | undefined => (typeof v === 'string' && v !== '' ? v : undefined);

/** Names of the schemes that a list of requirements asks for, and whether one of them asks for nothing (OpenAPI 3.1 §4.8.30). */
export function askedSecurity(requirements: readonly unknown[]): { security: string[]; openToAll: boolean } {
  const trees = requirements.filter(isTree);
  return {
    security: [...new Set(trees.flatMap((r) => Object.keys(r)))],
    openToAll: trees.some((r) => Object.keys(r).length === 0),
  };
}

/** A Security Scheme object (§4.8.27). What a gateway cannot do by itself is `other`, with words. */
export function securityScheme(name: string, value: Tree): SecurityScheme {
  const base = { name, ...(text(value.description) !== undefined && { documentation: text(value.description) }) };
  const other = (words: string): SecurityScheme => ({ ...base, kind: 'other', words });
  switch (value.type) {
    case 'http': {
      const scheme = text(value.scheme)?.toLowerCase();
      return scheme === 'basic' || scheme === 'bearer'
        ? { ...base, kind: scheme }
        : other(`HTTP authentication by ${scheme ?? 'an unnamed scheme'}`);
    }
    case 'apiKey': {
      const parameter = text(value.name);
      const place = value.in;
      return parameter !== undefined && (place === 'header' || place === 'query' || place === 'cookie')
        ? { ...base, kind: 'key', in: place, parameter }
        : other('a key without name or place');
    }
    case 'oauth2': {
      const flow = isTree(value.flows) ? value.flows.clientCredentials : undefined;
      const tokenUrl = isTree(flow) ? text(flow.tokenUrl) : undefined;
      if (!isTree(flow) || tokenUrl === undefined) return other('OAuth 2 for persons');
      return { ...base, kind: 'client', tokenUrl, scopes: Object.keys(isTree(flow.scopes) ? flow.scopes : {}) };
    }
    case 'openIdConnect':
      return other('OpenID Connect');
    case 'mutualTLS':
      return other('a certificate of the caller (mutual TLS)');
    default:
      return other('a way that OpenAPI does not know');
  }
}
