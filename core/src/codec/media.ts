import { SchemaElements } from '../contract/xsd';
import { essence, isJson, isXml, MULTIPART } from '../message/headers';
import type { InputFault } from '../problem';
import { resolveSchema, typesOf, ValidatorSet, collectFaults, type JsonSchema, type TypeTable } from '../schema';
import { CLOSE, END, XmlError, XmlScanner } from '../xml';
import { readCsv, writeCsv } from './csv';
import type { FormStyles } from '../contract/openapi/model';
import { readForm, styledForm, writeForm } from './form';
import { JsonError, readJson, writeJson } from './json';
import { formAsJson, readMultipart, writeMultipart } from './multipart';
import {
  isObject,
  PLAIN,
  PlainError,
  ReadContext,
  readMessageElement,
  readPlainDocument,
  writeMessageElement,
  writePlainDocument,
  type ShapeFault,
} from './xml';

/** Text of one media type as JSON, and back, by a schema where there is one. Faults carry pointers into the JSON. */
export interface MediaCodec {
  /** `mediaType`: as it came, with its parameters; a form of parts is read by one of them. */
  read(text: string, mediaType?: string): { readonly value: unknown; readonly faults: readonly ShapeFault[] };
  write(value: unknown): Written;
}

export interface Written {
  readonly text: string;
  /** Where the text needs a parameter of its own in the media type. */
  readonly mediaType?: string;
  readonly faults: readonly ShapeFault[];
}

/** The text is not of its media type at all. */
export class MediaError extends Error {}

export interface MediaOptions {
  readonly schema?: JsonSchema;
  readonly types?: TypeTable;
  /** Name of the root element, where neither the schema nor its name gives one. */
  readonly root?: string;
  /** Nothing is checked, and what the schema does not know is passed over; `keeping`: it stays, for whoever checks the value. */
  readonly lenient?: boolean | 'keeping';
  /** Content types of parts by name, of a form of parts. */
  readonly encoding?: Readonly<Record<string, string>>;
  /** How lists and objects stand in a form, by their names. */
  readonly styles?: FormStyles;
}

/** Undefined for what has no form as JSON: its bytes go through untouched. */
export function mediaCodec(mediaType: string, options: MediaOptions = {}): MediaCodec | undefined {
  const types = options.types ?? {};
  const check = options.schema && !options.lenient ? shapeCheck(options.schema, types) : () => [];
  if (isJson(mediaType)) {
    return {
      read(text) {
        const value = attempt(() => readJson(text));
        return { value, faults: check(value) };
      },
      write: (value) => ({ text: writeJson(value), faults: check(value) }),
    };
  }
  if (isXml(mediaType)) return xmlCodec(options, types, check);
  switch (essence(mediaType)) {
    case 'application/x-www-form-urlencoded':
      return {
        read(text) {
          const value = readForm(text, options.schema, types, options.styles);
          return { value, faults: check(value) };
        },
        write: (value) => ({ text: writeForm(styledForm(value, options.styles)), faults: check(value) }),
      };
    case MULTIPART: {
      const { schema, encoding } = options;
      const fits = schema && !options.lenient ? shapeCheck(formAsJson(schema, types), types) : () => [];
      return {
        read(text, given) {
          const value = attempt(() => readMultipart(text, given, schema, types, options.styles));
          return { value, faults: fits(value) };
        },
        write(value) {
          const faults = fits(value);
          const written = writeMultipart(styledForm(value, options.styles), schema, types, encoding);
          return faults.length ? { ...written, faults } : written;
        },
      };
    }
    case 'text/csv':
      return {
        read(text) {
          const value = attempt(() => readCsv(text, undefined, options.schema, types));
          return { value, faults: check(value) };
        },
        write: (value) => ({ text: writeCsv(value), faults: check(value) }),
      };
    case 'text/plain':
      return {
        read: (value) => ({ value, faults: check(value) }),
        write: (value) => ({ text: typeof value === 'string' ? value : writeJson(value), faults: check(value) }),
      };
    default:
      return undefined;
  }
}

function attempt<T>(run: () => T): T {
  try {
    return run();
  } catch (error) {
    if (error instanceof JsonError)
      throw new MediaError(`${error.message} at character ${error.position + 1}`, { cause: error });
    if (error instanceof XmlError) throw new MediaError(`${error.message} (line ${error.line})`, { cause: error });
    throw new MediaError((error as Error).message, { cause: error });
  }
}

const KINDS: Readonly<Record<string, ShapeFault['kind']>> = {
  required: 'missing',
  additionalProperties: 'unknown',
  oneOf: 'choice',
  anyOf: 'choice',
};

function shapeCheck(schema: JsonSchema, types: TypeTable): (value: unknown) => ShapeFault[] {
  const validator = new ValidatorSet(types).compile(schema);
  return (value) =>
    collectFaults(validator, value).map((f: InputFault) => ({
      pointer: f.pointer ?? '',
      words: f.detail,
      kind: KINDS[f.code] ?? 'type',
    }));
}

/** By OpenAPI's xml object where the schema describes an object or a list; else the general form. */
function xmlCodec(
  options: MediaOptions,
  types: TypeTable,
  check: (value: unknown) => readonly ShapeFault[],
): MediaCodec {
  const { schema } = options;
  const r = schema && resolveSchema(schema, types);
  const list = r !== undefined && typesOf(r).includes('array');
  if (!schema || !r || (!list && !r.properties && !r.allOf)) {
    return {
      read(text) {
        const value = attempt(() => readPlainDocument(text));
        return { value, faults: [] };
      },
      write(value) {
        try {
          return { text: writePlainDocument(value, PLAIN, options.root ?? 'root'), faults: [] };
        } catch (error) {
          if (!(error instanceof PlainError)) throw error;
          return { text: '', faults: [{ pointer: error.pointer, words: error.message, kind: 'type' }] };
        }
      },
    };
  }
  const decl = new SchemaElements(types).root(schema, options.root ?? (list ? 'items' : 'item'));
  const item = list ? itemName(decl) : undefined;
  return {
    read: (text) =>
      attempt(() => {
        const s = new XmlScanner(text);
        s.next();
        if (s.name.local !== decl.name)
          throw new Error(`the root element is ${s.name.local}; ${decl.name} was expected`);
        const c = new ReadContext(options.lenient ?? false);
        const content = readMessageElement(decl, s, c);
        for (let e = s.next(); e !== END; e = s.next()) if (e === CLOSE) break;
        const value = item === undefined ? content : (content as Record<string, unknown>)[item];
        return { value, faults: c.faults.length ? c.faults : check(value) };
      }),
    write(value) {
      const content = item === undefined ? value : { [item]: value };
      const written = writeMessageElement(decl, isObject(content) ? content : {});
      return {
        text: `<?xml version="1.0" encoding="UTF-8"?>\n${written.text}`,
        faults: written.faults.length ? written.faults : check(value),
      };
    },
  };
}

function itemName(decl: { readonly type: import('../contract/xsd').Type }): string {
  const { type } = decl;
  const group = type.kind === 'complex' && type.content.kind === 'elements' ? type.content.particle.term : undefined;
  const first = group && group.kind !== 'element' && group.kind !== 'any' ? group.particles[0]?.term : undefined;
  return first?.kind === 'element' ? (first.json ?? first.name) : 'item';
}
