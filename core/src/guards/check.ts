import type { FlowDocument, GuardDocument } from '../flow/document';
import { finding, type Finding } from '../problem';
import { escapePointer } from '../schema';

/** Kinds that read the header Authorization. */
const BY_AUTHORIZATION: readonly string[] = ['jwt', 'token', 'basic'];

/** Guards that let nobody in, whatever is sent. */
export function checkGuards(document: FlowDocument, report: (f: Finding) => void): void {
  const look = (guards: readonly GuardDocument[] | undefined, pointer: string) => {
    const tell = (n: number, words: string, remedy: string) =>
      report(finding('HNG-329', words, { pointer: `${pointer}/${n}` }, remedy));
    guards?.forEach((g, n) => {
      if (g.off) return;
      if (g.kind === 'jwt' && g.jwks === undefined && !g.keys?.length)
        tell(n, `the guard jwt has no keys of ${g.issuer}`, 'Give it the address of the keys, or the keys.');
      if (g.kind === 'basic' && !Object.keys(g.users).length)
        tell(n, 'the guard basic has no users', 'Give it a user with a password.');
      const rival = BY_AUTHORIZATION.slice(BY_AUTHORIZATION.indexOf(g.kind) + 1).find((k) =>
        guards.some((o) => o.kind === k && !o.off),
      );
      if (BY_AUTHORIZATION.includes(g.kind) && rival)
        tell(
          n,
          `the guards ${g.kind} and ${rival} both want the header Authorization, and both act`,
          'Keep one of them, or give each a door of its own.',
        );
      if (g.kind === 'cors' && g.credentials && g.origins.includes('*'))
        report(
          finding(
            'HNG-330',
            'pages of any origin may call with the credentials of whoever looks at them',
            { pointer: `${pointer}/${n}/origins` },
            'Name the origins.',
          ),
        );
    });
  };
  eachGuards(document, look);
}

/** Every list of guards that a document has, with its RFC 6901 pointer. */
export function eachGuards(
  document: FlowDocument,
  visit: (guards: readonly GuardDocument[], pointer: string) => void,
): void {
  const look = (guards: readonly GuardDocument[] | undefined, pointer: string) => guards && visit(guards, pointer);
  look(document.guards, '/guards');
  document.doors.forEach((d, n) => look(d.guards, `/doors/${n}/guards`));
  for (const [id, o] of Object.entries(document.operations)) look(o.guards, `/operations/${id}/guards`);
  for (const [name, p] of Object.entries(document.plans ?? {})) look(p.guards, `/plans/${name}/guards`);
  for (const [name, f] of Object.entries(document.graph?.fields ?? {}))
    look(f.guards, `/graph/fields/${escapePointer(name)}/guards`);
  for (const [name, t] of Object.entries(document.topics ?? {})) look(t.door?.guards, `/topics/${name}/door/guards`);
}
