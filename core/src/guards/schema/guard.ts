import { isTable } from '../../codec/csv';
import { JsonError } from '../../codec/json';
import { MediaError, mediaCodec, type MediaCodec } from '../../codec/media';
import type { Body } from '../../message/body';
import { essence, fitsRange, isCsv, isForm, isJson, isMultipart, isXml, MULTIPART } from '../../message/headers';
import { Refusal, type InputFault } from '../../problem';
import { ValidatorSet, collectFaults, requestSide, requestTypes } from '../../schema';
import type { GuardKind } from '../kind';
import type { SchemaGuardDocument } from './schema';

export const schemaGuard: GuardKind<SchemaGuardDocument> = {
  kind: 'schema',
  words: 'lets only requests in that fit the contract',
  compile(_guard, { document, operation }) {
    // A SOAP door reads envelopes by the contract itself.
    if (operation.soap) return null;
    const request = operation.request;
    const all = document.types ?? {};
    const types = requestTypes(all);
    const schema = requestSide(request?.schema, all);
    const mediaType = request?.mediaType ?? 'application/json';
    // The door has read XML, forms and CSV by the schema; whether it fits is judged here.
    const judged =
      isJson(mediaType) || isXml(mediaType) || isForm(mediaType) || (isCsv(mediaType) && isTable(schema, types));
    const validator = schema && judged ? new ValidatorSet(types).compile(schema) : undefined;
    const parts =
      schema && isMultipart(mediaType) ? mediaCodec(mediaType, { schema, types, styles: request?.styles }) : undefined;
    const hasParameters = (operation.parameters ?? []).length > 0;
    if (!request && !hasParameters) return null;
    return async ({ run, parameterFaults }) => {
      const faults: InputFault[] = [...parameterFaults];
      if (request) {
        const body = run.message.body;
        await body.load();
        if (body.isEmpty) {
          if (request.required) faults.push({ pointer: '', code: 'required', detail: 'a body is needed' });
        } else {
          checkMediaType(run.message.headers['content-type'], mediaType);
          if (parts) faults.push(...partFaults(parts, body, run.message.headers['content-type']));
          if (validator)
            faults.push(
              ...collectFaults(
                validator,
                readBody(() => body.value()),
              ),
            );
        }
      }
      if (faults.length)
        throw new Refusal('HNG-404', {
          detail:
            faults.length === 1 ? sentence(faults[0]!) : `${faults.length} things in the request break the contract.`,
          errors: faults,
        });
    };
  },
};

function partFaults(codec: MediaCodec, body: Body, mediaType: string | undefined): InputFault[] {
  try {
    return codec
      .read(body.text(), mediaType)
      .faults.map((f) => ({ pointer: f.pointer, code: f.kind, detail: f.words }));
  } catch (error) {
    if (!(error instanceof MediaError)) throw error;
    const detail = error.message;
    throw new Refusal('HNG-403', {
      detail: `The body cannot be read as ${MULTIPART}: ${detail}.`,
      errors: [{ pointer: '', code: 'syntax', detail }],
    });
  }
}

function sentence(f: InputFault): string {
  const where =
    f.parameter !== undefined ? `The parameter ${f.parameter}` : f.pointer ? `${f.pointer} in the body` : 'The body';
  return `${where}: ${f.detail}.`;
}

function checkMediaType(given: string | undefined, wanted: string): void {
  // Absent: read as the operation's own type. Present: it must be that type, any JSON type where JSON is wanted.
  if (given === undefined || fitsRange(essence(given), essence(wanted)) || (isJson(given) && isJson(wanted))) return;
  throw new Refusal('HNG-406', {
    detail: `Send the body as ${wanted}; ${essence(given) || given} is not accepted here.`,
    headers: { accept: wanted },
  });
}

function readBody(read: () => unknown): unknown {
  try {
    return read();
  } catch (error) {
    if (!(error instanceof JsonError)) throw error;
    throw new Refusal('HNG-403', {
      detail: `The body is not JSON: ${error.message} at character ${error.position + 1}.`,
      errors: [{ pointer: '', code: 'json', detail: `${error.message} at character ${error.position + 1}` }],
    });
  }
}
