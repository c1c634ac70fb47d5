import ipaddr from 'ipaddr.js';
import { Refusal } from '../../problem';
import type { GuardKind } from '../kind';
import type { NetworkGuardDocument } from './schema';

type Address = ReturnType<typeof ipaddr.process>;

/** By the address of the connection. What a proxy in front says in Forwarded is not believed: anybody can write it. */
export const networkGuard: GuardKind<NetworkGuardDocument> = {
  kind: 'network',
  words: 'lets only callers from some networks in',
  compile(guard) {
    const allow = guard.allow?.map(rangeOf);
    const deny = (guard.deny ?? []).map(rangeOf);
    return ({ run }) => {
      const remote = run.request.remote;
      if (run.more.rehearsed && remote === undefined) return;
      const address = remote !== undefined && ipaddr.isValid(remote) ? ipaddr.process(remote) : undefined;
      // An address that nobody knows is let in only where nothing is asked of it.
      const refused = address
        ? deny.some((r) => r(address)) || (allow !== undefined && !allow.some((r) => r(address)))
        : allow !== undefined;
      if (refused)
        throw new Refusal('HNG-412', {
          detail: 'Callers from this network are not let in here.',
          inner: `the address ${remote ?? '(unknown)'} is ${allow ? 'not among those allowed' : 'denied'}`,
        });
    };
  },
};

function rangeOf(text: string): (a: Address) => boolean {
  const [range, bits] = text.includes('/')
    ? ipaddr.parseCIDR(text)
    : [ipaddr.parse(text), text.includes(':') ? 128 : 32];
  return (a) => a.kind() === range.kind() && (a as ipaddr.IPv4).match(range as ipaddr.IPv4, bits);
}
