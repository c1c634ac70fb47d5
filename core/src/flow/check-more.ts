import { finding, type Finding } from '../problem';
import type { Neighbours } from './context';
import type { FlowDocument, StepDocument } from './document';
import { eachFlow, walkFlow } from './walk';

/** Calls from flow to flow that lead back to where they started. */
export function checkInnerCalls(
  document: FlowDocument,
  neighbours: Neighbours | undefined,
  report: (f: Finding) => void,
): void {
  const callsOf = (d: FlowDocument, id: string) => {
    const out: { api?: string; operation: string; at: string }[] = [];
    walkFlow(d.operations[id]?.flow ?? [], (step, at, off) => {
      if (!off && step.kind === 'call' && step.backend === undefined && step.operation !== undefined)
        out.push({ api: step.api, operation: step.operation, at });
    });
    return out;
  };
  for (const id of Object.keys(document.operations)) {
    const start = callsOf(document, id);
    for (const call of start) {
      const trail = circle(document, undefined, call, `${id}`, callsOf, neighbours);
      if (trail)
        report(
          finding('HNG-321', `${[id, ...trail].join(' calls ')}`, { pointer: `/operations/${id}/flow${call.at}` }),
        );
    }
  }
}

type Call = { api?: string; operation: string };

/** The way back to `goal`, when there is one. */
function circle(
  document: FlowDocument,
  api: string | undefined,
  first: Call,
  goal: string,
  callsOf: (d: FlowDocument, id: string) => readonly Call[],
  neighbours: Neighbours | undefined,
): string[] | undefined {
  const seen = new Set<string>();
  const walk = (d: FlowDocument, where: string | undefined, call: Call, trail: string[]): string[] | undefined => {
    const name = call.api ?? where;
    const next = call.api === undefined ? d : neighbours?.(call.api);
    const words = name === undefined ? call.operation : `${call.operation} of ${name}`;
    if (next === document && call.operation === goal) return [...trail, words];
    if (!next || seen.has(words)) return undefined;
    seen.add(words);
    for (const c of callsOf(next, call.operation)) {
      const found = walk(next, name, c, [...trail, words]);
      if (found) return found;
    }
    return undefined;
  };
  return walk(document, api, first, []);
}

const SECRET_HEADER = /^(authorization|proxy-authorization|x-api-key|api-key|cookie)$/i;
const SECRET_NAME = /(password|passwd|secret|api[_-]?key|access[_-]?token|client[_-]?secret|private[_-]?key)$/i;

/** Secrets that stand in the document as plain text. The names are common practice; a value from env, or of the request, is none. */
export function checkSecrets(document: FlowDocument, report: (f: Finding) => void): void {
  const tell = (what: string, pointer: string) =>
    report(finding('HNG-318', `${what} holds a value that looks like a secret`, { pointer }));
  const address = (text: string | undefined, pointer: string) => {
    if (text === undefined || !URL.canParse(text)) return;
    const url = new URL(text);
    if (url.password) tell('the address', pointer);
    for (const name of url.searchParams.keys()) if (SECRET_NAME.test(name)) tell(`the address, by ${name},`, pointer);
  };
  /** Pairs of the query whose value is no template. */
  const path = (text: string, pointer: string) => {
    for (const pair of text.slice(text.indexOf('?') + 1 || text.length).split('&')) {
      const [name = '', value = ''] = pair.split('=');
      if (SECRET_NAME.test(name) && value.length > 3 && !value.includes('{{')) tell(`the path, by ${name},`, pointer);
    }
  };
  for (const [name, b] of Object.entries(document.backends ?? {})) {
    address(b.address, `/backends/${name}/address`);
    for (const [e, a] of Object.entries(b.addresses ?? {})) address(a, `/backends/${name}/addresses/${e}`);
  }
  const visit = (flow: readonly StepDocument[], root: string) =>
    walkFlow(flow, (step, at) => {
      const p = root + at;
      if (step.kind === 'map')
        step.fields?.forEach((f, i) => {
          const field = f.to.split('/').pop()!;
          if (
            isLiteral(f.from) &&
            ((f.to.startsWith('/headers/') && SECRET_HEADER.test(field)) || SECRET_NAME.test(field))
          )
            tell(field, `${p}/fields/${i}/from`);
        });
      else if (step.kind === 'set') {
        for (const [n, from] of Object.entries(step.values))
          if (isLiteral(from) && SECRET_NAME.test(n)) tell(n, `${p}/values/${n}`);
      } else if (step.kind === 'call') {
        step.routes?.forEach((r, i) => address(r.address, `${p}/routes/${i}/address`));
        if (step.path !== undefined) path(step.path, `${p}/path`);
      } else if (step.kind === 'reply') {
        for (const [n, v] of Object.entries(step.headers ?? {}))
          if (SECRET_HEADER.test(n) && v.length > 3 && !v.includes('{{')) tell(n, `${p}/headers/${n}`);
      }
    });
  eachFlow(document, visit);
}

/** A text in quotes and nothing else, of some length: 'Bearer abc…'. */
const isLiteral = (source: string): boolean => /^\s*("[^"]{4,}"|'[^']{4,}')\s*$/.test(source);
