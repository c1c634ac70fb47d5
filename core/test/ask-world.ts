import {
  Body,
  compileApi,
  incomingOf,
  type BackendRequest,
  type FlowDocument,
  type Headers,
  type SampleRequest,
} from '../src';

export interface Answer {
  readonly text: string;
  readonly type?: string;
  readonly status?: number;
  readonly headers?: Headers;
}

/** One request to the first door of a document, whose backends all give the same answer; `raw` and `text` stand for what a sample cannot say. */
export async function ask(
  document: FlowDocument,
  id: string,
  given: SampleRequest & { raw?: Record<string, string | string[]>; text?: string },
  answer: Answer = { text: '[]' },
) {
  const sent: BackendRequest[] = [];
  const op = [...compileApi(document).operations.values()][0]!.find((o) => o.id === id)!;
  const incoming = incomingOf(op, document.doors[0]!.path, given);
  const mediaType = given.headers?.['content-type'];
  const { reply, refusal } = await op.handle(
    {
      ...incoming,
      ...(given.raw && { query: given.raw }),
      ...(given.text !== undefined && { body: Body.ofText(given.text, mediaType) }),
    },
    {
      ports: {
        clock: { now: () => 0 },
        backends: {
          send: (r) => {
            sent.push(r);
            const { type = 'application/json', status = 200 } = answer;
            const headers = { 'content-type': type, ...answer.headers };
            return Promise.resolve({ status, headers, body: Body.ofText(answer.text, type) });
          },
        },
      },
      env: {},
      traceId: 't',
      outbound: {},
    },
  );
  return {
    status: reply.status,
    type: reply.headers['content-type'],
    headers: reply.headers,
    text: reply.body.text(),
    errors: refusal?.options.errors?.map((e) => `${e.parameter ?? e.pointer} ${e.code}: ${e.detail}`),
    inner: refusal?.options.inner,
    sent: sent[0],
  };
}

export const queryOf = (r: BackendRequest | undefined): string => decodeURIComponent(r!.url.split('?')[1] ?? '');
