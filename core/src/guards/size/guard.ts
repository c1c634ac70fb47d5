import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import type { SizeGuardDocument } from './schema';

/** A declared length is refused unread (RFC 9110 §15.5.14); one that lies is cut off while it is read, by the gateway. */
export const sizeGuard: GuardKind<SizeGuardDocument> = {
  kind: 'size',
  words: 'limits the size of request bodies',
  compile(guard) {
    return async ({ run }) => {
      const m = run.message;
      const refuse = (): never => {
        throw new Refusal('HNG-405', { detail: `The body may have at most ${guard.maxBytes} bytes.` });
      };
      const declared = Number(m.headers['content-length'] ?? NaN);
      if (declared > guard.maxBytes) refuse();
      // A message made inside the gateway, e.g. by a field of a graph, declares nothing: its body is there already.
      if (!m.body.pending && m.body.byteLength > guard.maxBytes) refuse();
      if (Number.isNaN(declared) && m.headers['transfer-encoding'] !== undefined) {
        await m.body.load();
        if (m.body.byteLength > guard.maxBytes) refuse();
      }
    };
  },
};
