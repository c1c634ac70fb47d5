import { isTable } from '../../codec/csv';
import { JsonError } from '../../codec/json';
import { MediaError, mediaCodec, type MediaCodec } from '../../codec/media';
import type { Body } from '../../message/body';
import { essence, fitsRange, isCsv, isForm, isJson, isMultipart, isXml, MULTIPART } from '../../message/headers';
import { Refusal, type InputFault } from '../../problem';
import { ValidatorSet, collectFaults, requestSide, requestTypes, type TypeTable, type Validator } from '../../schema';
import type { BodyDocument } from '../../flow/document';
import { bodiesOfRequest, bodyFor } from '../../flow/request-schema';
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
    const set = new ValidatorSet(types);
    const bodies = bodiesOfRequest(request ?? {}).map((b) => judgeOf(b, all, types, set));
    const accepted = bodies.map((b) => b.mediaType).join(', ');
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
          const given = run.message.headers['content-type'];
          const { mediaType, parts, validator } = bodyFor(bodies, given);
          checkMediaType(given, mediaType, accepted);
          if (parts) faults.push(...partFaults(parts, body, given));
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

interface Judge extends BodyDocument {
  readonly mediaType: string;
  readonly parts?: MediaCodec;
  readonly validator?: Validator;
}

/** What holds one of the bodies against its schema. The door has read XML, forms and CSV by it; whether they fit is judged here. */
function judgeOf(body: BodyDocument, all: TypeTable, types: TypeTable, set: ValidatorSet): Judge {
  const { mediaType = 'application/json', styles } = body;
  const schema = requestSide(body.schema, all);
  if (!schema) return { mediaType };
  if (isMultipart(mediaType)) return { mediaType, parts: mediaCodec(mediaType, { schema, types, styles }) };
  const judged =
    isJson(mediaType) || isXml(mediaType) || isForm(mediaType) || (isCsv(mediaType) && isTable(schema, types));
  return judged ? { mediaType, validator: set.compile(schema) } : { mediaType };
}

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

function checkMediaType(given: string | undefined, wanted: string, all: string): void {
  // Absent: read as the operation's own type. Present: it must be that type, any JSON type where JSON is wanted.
  if (given === undefined || fitsRange(essence(given), essence(wanted)) || (isJson(given) && isJson(wanted))) return;
  throw new Refusal('HNG-406', {
    detail: `Send the body as ${all.replaceAll(', ', ' or ')}; ${essence(given) || given} is not accepted here.`,
    headers: { accept: all },
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
