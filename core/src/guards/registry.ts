import type { GuardDocument } from '../flow/document';
import type { GuardKind } from './kind';
import { keyGuard } from './key/guard';
import { networkGuard } from './network/guard';
import { rateGuard } from './rate/guard';
import { schemaGuard } from './schema/guard';
import { sizeGuard } from './size/guard';

/** Every guard kind has an entry, in the order in which they act. */
const KINDS: { readonly [K in GuardDocument['kind']]: GuardKind<Extract<GuardDocument, { kind: K }>> } = {
  network: networkGuard,
  key: keyGuard,
  rate: rateGuard,
  size: sizeGuard,
  schema: schemaGuard,
};

export const GUARD_ORDER: readonly string[] = Object.keys(KINDS);

export function guardKind(kind: GuardDocument['kind']): GuardKind {
  return KINDS[kind] as unknown as GuardKind;
}
