import type { ClientCertificate } from '../../flow/run';
import { Refusal } from '../../problem';
import { admit, appOf } from '../identity';
import type { GuardKind } from '../kind';
import type { CertificateGuardDocument } from './schema';

/**
 * Mutual TLS (RFC 8446 §4.4.2): the gateway has checked the chain against its authorities when the connection was made; here it is said whose certificates
 * may come in. The app is the one whose id is the common name. Flows read subject, issuer, names and fingerprint as `claims`.
 */
export const certificateGuard: GuardKind<CertificateGuardDocument> = {
  kind: 'certificate',
  knows: true,
  words: 'asks for a certificate',
  scheme: () => ({ type: 'mutualTLS' }),
  compile(guard, { document }) {
    const names = guard.names && new Set(guard.names);
    const prints = guard.fingerprints && new Set(guard.fingerprints.map(plain));
    return ({ run }) => {
      const { certificate } = run.request;
      if (run.more.rehearsed && certificate === undefined) return;
      if (!certificate || certificate.problem !== undefined)
        throw new Refusal('HNG-419', {
          detail: 'A certificate that this gateway trusts is needed when the connection is made (mutual TLS).',
          inner: certificate?.problem ?? 'no certificate was shown',
        });
      const allowed =
        (!names && !prints) ||
        (prints?.has(plain(certificate.fingerprint)) ?? false) ||
        (names !== undefined && namesOf(certificate).some((n) => names.has(n)));
      if (!allowed)
        throw new Refusal('HNG-419', {
          detail: 'The certificate is not one of those that are let in here.',
          inner: `${certificate.subject}, ${certificate.fingerprint}`,
        });
      const { subject, issuer, names: others, fingerprint } = certificate;
      const id = certificate.commonName ?? fingerprint;
      admit(run, document, appOf(run, document, id), { sub: id, subject, issuer, names: others, fingerprint });
    };
  },
};

const plain = (fingerprint: string): string => fingerprint.replaceAll(':', '').toLowerCase();
const namesOf = (c: ClientCertificate): string[] => [...(c.commonName === undefined ? [] : [c.commonName]), ...c.names];
