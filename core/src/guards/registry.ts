import type { GuardDocument } from '../flow/document';
import { basicGuard } from './basic/guard';
import { certificateGuard } from './certificate/guard';
import { concurrencyGuard } from './concurrency/guard';
import { corsGuard } from './cors/guard';
import { headersGuard } from './headers/guard';
import { jwtGuard } from './jwt/guard';
import { keyGuard } from './key/guard';
import type { GuardKind } from './kind';
import { networkGuard } from './network/guard';
import { quotaGuard } from './quota/guard';
import { rateGuard } from './rate/guard';
import { schemaGuard } from './schema/guard';
import { signatureGuard } from './signature/guard';
import { sizeGuard } from './size/guard';
import { tokenGuard } from './token/guard';

/** Every guard kind has an entry, in the order in which they act. */
const KINDS: { readonly [K in GuardDocument['kind']]: GuardKind<Extract<GuardDocument, { kind: K }>> } = {
  cors: corsGuard,
  network: networkGuard,
  headers: headersGuard,
  certificate: certificateGuard,
  key: keyGuard,
  token: tokenGuard,
  basic: basicGuard,
  jwt: jwtGuard,
  rate: rateGuard,
  quota: quotaGuard,
  concurrency: concurrencyGuard,
  size: sizeGuard,
  signature: signatureGuard,
  schema: schemaGuard,
};

export const GUARD_ORDER: readonly string[] = Object.keys(KINDS);

export function guardKind(kind: GuardDocument['kind']): GuardKind {
  return KINDS[kind] as unknown as GuardKind;
}
