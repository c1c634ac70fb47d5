import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import type { SignatureGuardDocument } from './schema';

const HASHES = { sha1: 'SHA-1', sha256: 'SHA-256', sha512: 'SHA-512' } as const;

/** Compared by Web Crypto's verify, which takes the same time wherever it differs. */
export const signatureGuard: GuardKind<SignatureGuardDocument> = {
  kind: 'signature',
  words: 'lets only signed bodies in',
  compile(guard) {
    const name = (guard.header ?? 'X-Signature').toLowerCase();
    const prefix = guard.prefix ?? '';
    const refuse = (inner: string): never => {
      throw new Refusal('HNG-414', {
        detail: `The body must be signed (${guard.algorithm ?? 'sha256'}), in the header ${guard.header ?? 'X-Signature'}${prefix ? ` behind ${prefix}` : ''}.`,
        inner,
      });
    };
    return async ({ run }) => {
      const secret = run.ports.secrets?.get(guard.secret) ?? run.env[guard.secret];
      if (typeof secret !== 'string' || !secret)
        throw new Refusal('HNG-420', {
          detail: 'A step of the flow failed. The trace says which.',
          inner: `the guard signature: the environment has no secret and no variable ${guard.secret}`,
        });
      const given = run.message.headers[name];
      if (given === undefined) refuse(`there is no header ${name}`);
      if (!given!.startsWith(prefix)) refuse(`the header ${name} does not begin with ${prefix}`);
      const signature = bytesOf(given!.slice(prefix.length).trim(), guard.encoding ?? 'hex');
      if (!signature) refuse(`the header ${name} is no ${guard.encoding ?? 'hex'}`);
      let before = '';
      if (guard.timestamp) {
        const time = run.message.headers[guard.timestamp.header.toLowerCase()];
        const seconds = /^\d{1,12}$/.test(time ?? '') ? Number(time) : NaN;
        const off = Math.abs(Date.now() / 1000 - seconds);
        if (!(off <= guard.timestamp.toleranceSeconds))
          refuse(time === undefined ? `there is no header ${guard.timestamp.header}` : 'the time is too far from now');
        before = `${time!}.`;
      }
      await run.message.body.load();
      const head = new TextEncoder().encode(before);
      const body = run.message.body.bytes();
      const signed = new Uint8Array(head.length + body.length);
      signed.set(head);
      signed.set(body, head.length);
      const algorithm = { name: 'HMAC', hash: HASHES[guard.algorithm ?? 'sha256'] };
      const key = await crypto.subtle.importKey('raw', new TextEncoder().encode(secret), algorithm, false, ['verify']);
      if (!(await crypto.subtle.verify('HMAC', key, signature!, signed)))
        refuse('the signature is of another body, or of another secret');
    };
  },
};

function bytesOf(text: string, encoding: 'hex' | 'base64'): Uint8Array<ArrayBuffer> | undefined {
  if (encoding === 'hex')
    return /^([0-9a-f]{2})+$/i.test(text)
      ? Uint8Array.from(text.match(/../g)!, (h) => Number.parseInt(h, 16))
      : undefined;
  try {
    return Uint8Array.from(atob(text), (c) => c.charCodeAt(0));
  } catch {
    return undefined;
  }
}
