import { CSV, readCsv, writeCsv } from '../../codec/csv';
import { readForm, writeForm } from '../../codec/form';
import { JsonError, readJson, writeJson } from '../../codec/json';
import { mediaCodec, type MediaCodec, type Written } from '../../codec/media';
import { readMultipart, writeMultipart } from '../../codec/multipart';
import {
  isObject,
  PLAIN,
  PlainError,
  readPlainDocument,
  writePlainDocument,
  type PlainSettings,
} from '../../codec/xml';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { essence, isJson, isXml, MULTIPART } from '../../message/headers';
import type { ShownMessage } from '../../message/message';
import { finding, Refusal } from '../../problem';
import type { TypeTable } from '../../schema';
import { XmlError } from '../../xml';
import type { StepKind } from '../kind';
import type { ConvertDocument } from './schema';

const MEDIA = {
  json: 'application/json',
  xml: 'application/xml',
  form: 'application/x-www-form-urlencoded',
  multipart: MULTIPART,
  csv: 'text/csv',
} as const;
const WORDS = { json: 'JSON', xml: 'XML', form: 'a form', multipart: 'a form of parts', csv: 'CSV' } as const;

/** The body in another form: by the schema that its message came with, else by the general form (docs/xml-json.md) with these settings. */
export const convertKind: StepKind<ConvertDocument> = {
  kind: 'convert',
  words: 'give the body another form',
  label: (step) => `to ${step.to}`,

  compile(step, { types }) {
    const convert = converter(step, types);
    return async (run) => {
      const { body } = run.message;
      await body.load();
      if (body.isEmpty) return;
      const {
        text,
        value,
        mediaType = MEDIA[step.to],
      } = attempt(run, step, essence(body.mediaType), () => convert(body));
      const { 'content-length': _length, ...headers } = run.message.headers;
      run.message = {
        ...run.message,
        headers: { ...headers, 'content-type': mediaType },
        body:
          step.to === 'json' || step.to === 'multipart'
            ? Body.ofWritten(text, value, mediaType)
            : Body.ofText(text, mediaType),
        format: step.to === 'json' ? 'JSON' : WORDS[step.to],
      };
    };
  },

  check(step, context, before, report) {
    if (step.type !== undefined && !context.types[step.type])
      report(
        finding('HNG-302', `there is no type ${step.type}`, {
          ...context.place,
          pointer: `${context.place.pointer}/type`,
        }),
      );
    return {
      body:
        step.to !== 'json' || step.by === 'settings'
          ? undefined
          : step.type !== undefined
            ? { $ref: `#/types/${step.type}` }
            : before.body,
      types: step.type === undefined ? before.types : context.types,
      words: WORDS[step.to],
      isReply: before.isReply,
    };
  },
};

interface Converted {
  readonly text: string;
  /** Where it has a parameter that belongs to the text. */
  readonly mediaType?: string;
  readonly value: unknown;
}

/** A body in another form, as the step says. Throws what its reader throws, ConvertError for what cannot be written. */
function converter(step: ConvertDocument, types: TypeTable): (body: Body) => Converted {
  const s = step.settings ?? {};
  const plain: PlainSettings = {
    ...PLAIN,
    ...(s.attribute !== undefined && { attribute: s.attribute }),
    ...(s.text !== undefined && { text: s.text }),
    lists: s.lists ?? [],
    typed: s.typed ?? false,
    keepCdata: s.keepCdata ?? false,
    dropNamespaces: s.dropNamespaces ?? false,
  };
  const csv = { delimiter: s.delimiter ?? CSV.delimiter, header: s.header ?? CSV.header };
  const typed = step.by === 'settings' || step.type === undefined ? undefined : step.type;
  const options = typed !== undefined && {
    schema: { $ref: `#/types/${typed}` },
    types,
    lenient: true,
    root: step.root ?? typed,
  };
  const codecs = new Map<string, MediaCodec | undefined>();
  const codecFor = (mediaType: string) => {
    const key = essence(mediaType);
    if (!options) return undefined;
    if (!codecs.has(key) && codecs.size < 20) codecs.set(key, mediaCodec(mediaType, options));
    return codecs.get(key);
  };
  const read = (body: Body): unknown => {
    const codec = codecFor(body.mediaType ?? '');
    if (codec) return codec.read(body.text(), body.mediaType).value;
    const known = step.by === 'settings' ? undefined : body.knownValue;
    if (known !== undefined && typeof known !== 'string') return known;
    if (step.by === 'schema' && !isJson(body.mediaType))
      throw new ConvertError('', 'no schema came with this message; name a type of this API, or convert by settings');
    if (isXml(body.mediaType)) return readPlainDocument(body.text(), plain);
    switch (essence(body.mediaType)) {
      case MEDIA.form:
        return readForm(body.text(), undefined, {});
      case MEDIA.multipart: {
        // The door reads it by the schema of the operation, where there is one.
        const value = step.by === 'settings' ? undefined : body.value();
        return isObject(value) ? value : readMultipart(body.text(), body.mediaType, undefined, {});
      }
      case MEDIA.csv:
        return readCsv(body.text(), csv);
      default:
        return isJson(body.mediaType) ? readJson(body.text()) : body.value();
    }
  };
  const write = (value: unknown): Omit<Converted, 'value'> => {
    const codec = step.to === 'json' ? undefined : codecFor(MEDIA[step.to]);
    if (codec) {
      return demand(codec.write(value));
    }
    switch (step.to) {
      case 'json':
        return { text: writeJson(value) };
      case 'xml':
        return { text: writePlainDocument(value, plain, step.root) };
      case 'form':
        return { text: writeForm(value) };
      case 'multipart':
        return demand(writeMultipart(value, undefined, {}));
      case 'csv':
        return { text: writeCsv(value, csv) };
    }
  };
  return (body) => {
    const value = read(body);
    try {
      return { ...write(value), value };
    } catch (error) {
      if (error instanceof PlainError) throw new ConvertError(error.pointer, error.message);
      throw error;
    }
  };
}

function demand(written: Written): Omit<Converted, 'value'> {
  const [fault] = written.faults;
  if (fault) throw new ConvertError(fault.pointer, fault.words);
  return { text: written.text, mediaType: written.mediaType };
}

/** What stands in the body has no place in the other form, or no schema is there to read it by. */
class ConvertError extends Error {
  constructor(
    readonly pointer: string,
    words: string,
  ) {
    super(words);
  }
}

/** What both ways make of a message that a rehearsal showed: text, or why there is none. */
export function convertBothWays(
  step: ConvertDocument,
  types: TypeTable,
  shown: Pick<ShownMessage, 'text' | 'valueText' | 'mediaType' | 'cut'>,
): { readonly schema: string; readonly settings: string } {
  const { text, mediaType } = shown;
  if (text === undefined || shown.cut) return { schema: '', settings: '' };
  const make = (by: 'schema' | 'settings'): string => {
    try {
      const known = shown.valueText === undefined ? undefined : (readJson(shown.valueText) as { body: unknown }).body;
      const body = known === undefined ? Body.ofText(text, mediaType) : Body.ofParsed(text, known, mediaType);
      return converter({ ...step, by }, types)(body).text;
    } catch (error) {
      return `(${(error as Error).message})`;
    }
  };
  return { schema: make('schema'), settings: make('settings') };
}

function attempt<T>(run: Run, step: ConvertDocument, form: string, convert: () => T): T {
  try {
    return convert();
  } catch (error) {
    if (error instanceof ConvertError)
      throw new Refusal('HNG-421', {
        detail: `The body cannot be written as ${WORDS[step.to]}.`,
        inner: `${error.pointer || '/'} ${error.message}`,
      });
    const words =
      error instanceof XmlError
        ? `${error.message} (line ${error.line})`
        : error instanceof JsonError
          ? `${error.message} at character ${error.position + 1}`
          : (error as Error).message;
    if (run.message.status === undefined)
      throw new Refusal('HNG-403', {
        detail: `The body cannot be read as ${form}: ${words}.`,
        errors: [{ pointer: '', code: 'syntax', detail: words }],
      });
    throw new Refusal('HNG-504', { inner: `convert: the body cannot be read as ${form}: ${words}` });
  }
}
