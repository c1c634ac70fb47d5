import { mediaCodec } from '../../codec/media';
import { NOTHING, type ContractOperation } from '../../contract';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { isJson, withFields } from '../../message/headers';
import { Refusal } from '../../problem';
import type { BackendContext } from '../kind';
import { operationOfMessage } from '../map/to-backend';
import { compileCaller } from './caller';
import { breaks } from './http';
import type { CallDocument } from './schema';
import { loadReply, textOf, unreadable } from './send';

interface GraphqlError {
  readonly message?: unknown;
  readonly path?: unknown;
  readonly extensions?: Readonly<Record<string, unknown>>;
}

/** An operation of a GraphQL backend. What its only field holds is the reply; errors are a refusal, also beside data, unless the backend is read leniently. */
export function graphqlCall(
  step: CallDocument,
  backend: BackendContext,
  operation: ContractOperation,
  timeoutMs: number,
) {
  const { take } = operation.graphql!;
  const lenient = backend.document.reply === 'lenient';
  const call = compileCaller(step, backend);
  const codec = mediaCodec('application/json', {
    schema: operation.reply!.body,
    types: backend.contract!.types,
    lenient,
    root: operation.id,
  })!;
  return async (run: Run): Promise<void> => {
    const m = run.message;
    if (operationOfMessage(m)?.id !== operation.id)
      throw new Refusal('HNG-420', {
        detail: 'A step of the flow failed. The trace says which.',
        inner: `no map made a request for ${operation.id} before this call`,
      });
    const reply = await call(run, {
      operation: operation.id,
      url: (address) => address,
      method: 'POST',
      headers: withFields(m.headers, run.outbound),
      body: m.body,
      timeoutMs,
    });
    await loadReply(reply, backend, run);
    if (run.observer) run.notes = { ...run.notes, status: reply.status };
    run.message = { status: reply.status, headers: reply.headers, body: reply.body, format: 'JSON' };
    if (!isJson(reply.body.mediaType))
      throw unreadable(
        backend,
        `status ${reply.status} with content type ${reply.body.mediaType ?? '(none)'}; JSON was expected`,
      );
    const { data, errors } = answerOf(textOf(reply, backend), reply.status, backend);
    const value = take === undefined ? data : (data as Record<string, unknown> | null | undefined)?.[take];
    const failed = errors.length > 0 && (!lenient || value === null || value === undefined);
    if (failed) throw refused(step, backend, reply.status, errors);
    if (value === null || value === undefined) {
      const mapped = step.faults?.[NOTHING];
      if (!mapped && operation.faults.length && value === null) {
        run.message = { ...run.message, status: 200, body: Body.ofValue(null, 'application/json') };
        return;
      }
      if (!mapped)
        throw breaks(backend, [{ pointer: `/data/${take ?? ''}`, words: 'there is no data', kind: 'missing' }]);
      throw new Refusal('HNG-506', {
        backend: backend.name,
        status: mapped.status,
        title: mapped.title,
        detail: `${backend.name} knows nothing of the kind.`,
        inner: `${operation.id} answered null`,
      });
    }
    const body = Body.ofValue(value, 'application/json');
    const read = codec.read(body.text());
    if (read.faults.length)
      throw breaks(
        backend,
        read.faults.map((f) => ({ ...f, pointer: `/data${take === undefined ? '' : `/${take}`}${f.pointer}` })),
      );
    run.message = { ...run.message, status: 200, body: Body.ofParsed(body.text(), read.value, 'application/json') };
  };
}

/** `data` and `errors` of a response (specification of October 2021, §7.1). */
function answerOf(
  text: string,
  status: number,
  backend: BackendContext,
): { data: unknown; errors: readonly GraphqlError[] } {
  let value: unknown;
  try {
    value = Body.ofText(text, 'application/json').value();
  } catch (error) {
    throw unreadable(backend, `status ${status}: ${(error as Error).message}`, error);
  }
  const { data, errors } = (value !== null && typeof value === 'object' ? value : {}) as Record<string, unknown>;
  if (data === undefined && !Array.isArray(errors))
    throw unreadable(backend, `status ${status}: the answer has neither data nor errors`);
  const list = Array.isArray(errors) ? errors : [];
  return { data, errors: list.filter((e): e is GraphqlError => e !== null && typeof e === 'object') };
}

/** By the first error's extensions.code, as the step says; a request that the backend did not understand is the flow's doing. */
function refused(
  step: CallDocument,
  backend: BackendContext,
  status: number,
  errors: readonly GraphqlError[],
): Refusal {
  const [first] = errors;
  const reason = typeof first?.message === 'string' ? first.message : 'an error without words';
  const code = typeof first?.extensions?.code === 'string' ? first.extensions.code : undefined;
  const mapped = code === undefined ? undefined : step.faults?.[code];
  return new Refusal('HNG-506', {
    backend: backend.name,
    backendStatus: status,
    status: mapped?.status ?? 502,
    ...(mapped?.title && { title: mapped.title }),
    detail: reason,
    fault: { code: code ?? 'GRAPHQL', reason, detail: { errors } },
    inner: `${backend.name} answered ${errors.length} error${errors.length === 1 ? '' : 's'}: ${reason}`,
  });
}
