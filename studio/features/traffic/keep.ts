import { recordedStubs, type CaseDocument, type FlowDocument, type ShownMessage } from '@hinge/core';
import { getDraft, saveDraft } from '../apis/server';
import type { StoredTrace } from '../fold/trace-fold';
import { getTrace } from './server';
import { Told } from '../../lib/route';

/** Makes a case of a recorded request, in a new draft; returns where to look at it. */
export async function keepAsCase(id: string, by: string): Promise<string> {
  const trace = (await getTrace(id)) as StoredTrace | undefined;
  if (!trace?.api || !trace.operation) throw new Told(404, 'This trace belongs to no operation.');
  const draft = await getDraft(trace.api);
  const operation = draft?.document.operations[trace.operation];
  if (!draft || !operation)
    throw new Told(404, `The draft of ${trace.api} has no operation ${trace.operation} any more.`);
  if (trace.request.cut) throw new Told(422, 'Only the beginning of this request was kept; it cannot be sent again.');
  const made = caseOf(trace, draft.document);
  const document: FlowDocument = { ...draft.document, cases: [...(draft.document.cases ?? []), made] };
  await saveDraft(trace.api, draft.revision, document, by, `case kept from trace ${trace.traceId}`);
  return `/apis/${trace.api}/${trace.operation}?case=${encodeURIComponent(made.name)}`;
}

/** Parameters are taken back out of the path by the operation's own template. */
export function caseOf(trace: StoredTrace, document: FlowDocument): CaseDocument {
  const operation = document.operations[trace.operation!]!;
  const door = document.doors.find((d) => d.name === trace.door) ?? document.doors[0]!;
  const url = new URL(trace.url, 'http://localhost');
  const names = [...operation.path.matchAll(/\{([^}]*)\}/g)].map((m) => m[1]!);
  const pattern = new RegExp(
    `^${escape(door.path.replace(/\/$/, ''))}${operation.path
      .split(/\{[^}]*\}/)
      .map(escape)
      .join('([^/]+)')}/?$`,
  );
  const found = pattern.exec(url.pathname);
  const path = Object.fromEntries(names.map((n, i) => [n, decodeURIComponent(found?.[i + 1] ?? '')]));
  const query: Record<string, unknown> = {};
  for (const name of new Set(url.searchParams.keys())) {
    const all = url.searchParams.getAll(name);
    query[name] = all.length > 1 ? all : all[0];
  }
  const declared = new Map(
    (operation.parameters ?? []).filter((p) => p.in === 'header').map((p) => [p.name.toLowerCase(), p.name]),
  );
  const headers: Record<string, string> = {};
  for (const [name, value] of Object.entries(trace.request.headers)) {
    const own = declared.get(name);
    if (own) headers[own] = value;
    else if (name === 'content-type' && trace.request.bytes) headers[name] = value;
  }
  const taken = new Set((document.cases ?? []).filter((c) => c.operation === trace.operation).map((c) => c.name));
  const base = `kept ${trace.at.slice(0, 10)}, ${trace.status}`;
  let name = base;
  for (let n = 2; taken.has(name); n++) name = `${base} (${n})`;
  const stubs = recordedStubs(document, trace.operation!, trace.steps);
  return {
    name,
    operation: trace.operation!,
    note: `From trace ${trace.traceId}`,
    request: {
      ...(names.length && { path }),
      ...(Object.keys(query).length && { query }),
      ...(Object.keys(headers).length && { headers }),
      ...bodyOf(trace.request),
    },
    ...(trace.door !== document.doors[0]?.name && { door: trace.door }),
    // Backends answer as they did then: the case runs without them.
    ...(stubs.length && { stubs }),
    expect: { status: trace.status },
  };
}

function bodyOf(m: ShownMessage): { body?: unknown } {
  if (m.text === undefined) return {};
  if (!/json/i.test(m.mediaType ?? '')) return { body: m.text };
  try {
    const value = JSON.parse(m.text) as unknown;
    return { body: JSON.stringify(value) === m.text ? value : m.text };
  } catch {
    return { body: m.text };
  }
}

const escape = (text: string): string => text.replace(/[.*+?^${}()|[\]\\]/g, '\\$&');
