import { CSV, readCsv, writeCsv } from '../../codec/csv';
import { readForm, writeForm } from '../../codec/form';
import { JsonError, writeJson } from '../../codec/json';
import { PLAIN, PlainError, readPlainDocument, writePlainDocument, type PlainSettings } from '../../codec/xml';
import type { Run } from '../../flow/run';
import { Body } from '../../message/body';
import { essence, isXml } from '../../message/headers';
import { Refusal } from '../../problem';
import { XmlError } from '../../xml';
import type { StepKind } from '../kind';
import type { ConvertDocument } from './schema';

const MEDIA = {
  json: 'application/json',
  xml: 'application/xml',
  form: 'application/x-www-form-urlencoded',
  csv: 'text/csv',
} as const;
const WORDS = { json: 'JSON', xml: 'XML', form: 'a form', csv: 'CSV' } as const;

/** The body in another form: by the schema that its message came with, else by the general form (docs/xml-json.md) with these settings. */
export const convertKind: StepKind<ConvertDocument> = {
  kind: 'convert',
  words: 'give the body another form',
  label: (step) => `to ${step.to}`,

  compile(step) {
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
    const write = (value: unknown): string => {
      switch (step.to) {
        case 'json':
          return writeJson(value);
        case 'xml':
          return writePlainDocument(value, plain, step.root);
        case 'form':
          return writeForm(value);
        case 'csv':
          return writeCsv(value, csv);
      }
    };
    return async (run) => {
      const { body } = run.message;
      await body.load();
      if (body.isEmpty) return;
      const value = attempt(run, essence(body.mediaType), () => valueOf(body, plain, csv));
      const mediaType = MEDIA[step.to];
      let text: string;
      try {
        text = write(value);
      } catch (error) {
        if (!(error instanceof PlainError)) throw error;
        throw new Refusal('HNG-421', {
          detail: `The body cannot be written as ${WORDS[step.to]}.`,
          inner: `${error.pointer || '/'} ${error.message}`,
        });
      }
      const { 'content-length': _length, ...headers } = run.message.headers;
      run.message = {
        ...run.message,
        headers: { ...headers, 'content-type': mediaType },
        body: step.to === 'json' ? Body.ofParsed(text, value, mediaType) : Body.ofText(text, mediaType),
        format: step.to === 'json' ? 'JSON' : WORDS[step.to],
      };
    };
  },

  check(step, _context, before) {
    return {
      body: step.to === 'json' ? before.body : undefined,
      types: before.types,
      words: WORDS[step.to],
      isReply: before.isReply,
    };
  },
};

/** What a schema made of the body already, else what its media type says. */
function valueOf(body: Body, plain: PlainSettings, csv: typeof CSV): unknown {
  const known = body.knownValue;
  if (known !== undefined && typeof known !== 'string') return known;
  if (isXml(body.mediaType)) return readPlainDocument(body.text(), plain);
  switch (essence(body.mediaType)) {
    case MEDIA.form:
      return readForm(body.text(), undefined, {});
    case MEDIA.csv:
      return readCsv(body.text(), csv);
    default:
      return body.value();
  }
}

function attempt(run: Run, form: string, read: () => unknown): unknown {
  try {
    return read();
  } catch (error) {
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
