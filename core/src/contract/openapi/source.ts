import { upgrade } from '@scalar/openapi-upgrader';
import { LineCounter, parseDocument } from 'yaml';
import { JsonError, readJson } from '../../codec/json';
import { LIMITS } from '../../limits';
import { lower } from '../../message/digits';
import { HingeError, type Place } from '../../problem';
import { escapePointer, unescapePointer } from '../../schema';
import type { ContractFiles } from '../model';
import { fileFor, resolveLocation } from '../locations';
import { isTree, type Tree } from './tree';
import { beforeTwo } from './two';

export { isTree, type Tree };

/** One document as plain values, with the line of any path in it. */
export interface ParsedDocument {
  readonly file: string;
  readonly value: unknown;
  placeOf(path: readonly (string | number)[]): Place;
}

/** JSON or YAML 1.2. JSON text goes the quick way; lines in it are found when they are asked for. */
export function parseTree(text: string, file: string): ParsedDocument {
  if (text.length > LIMITS.contractBytes)
    throw new HingeError('HNG-103', `${file} has ${text.length} characters; at most ${LIMITS.contractBytes} are read`, {
      file,
      line: 1,
    });
  if (/^\s*\{/.test(text)) {
    try {
      // Digits of examples are not kept: a contract says what numbers are allowed, not which are sent.
      return { file, value: lower(readJson(text)), placeOf: (path) => placeInJson(text, file, path) };
    } catch (error) {
      if (!(error instanceof JsonError)) throw error;
      // Flow style YAML begins like JSON; what neither reads is told as JSON.
      if (parseDocument(text).errors.length)
        throw new HingeError('HNG-121', error.message, { file, ...lineAt(text, error.position) });
    }
  }
  const lines = new LineCounter();
  const doc = parseDocument(text, { lineCounter: lines, uniqueKeys: true });
  const bad = doc.errors[0];
  if (bad) {
    const at = bad.linePos?.[0];
    const words = bad.message.split('\n')[0]!.replace(/ at line \d+, column \d+:?$/, '');
    throw new HingeError('HNG-121', words, { file, line: at?.line, column: at?.col });
  }
  let value: unknown;
  try {
    value = doc.toJS({ maxAliasCount: 100 });
  } catch (cause) {
    throw new HingeError('HNG-121', (cause as Error).message, { file }, { cause });
  }
  return {
    file,
    value,
    placeOf(path) {
      for (let n = path.length; n > 0; n--) {
        const range = (doc.getIn(path.slice(0, n), true) as { range?: [number] } | undefined)?.range;
        if (range) {
          const pos = lines.linePos(range[0]);
          return { file, line: pos.line, column: pos.col };
        }
      }
      return { file, line: 1 };
    },
  };
}

function lineAt(text: string, index: number): { line: number; column: number } {
  const before = text.slice(0, index);
  return { line: before.split('\n').length, column: index - before.lastIndexOf('\n') };
}

/** Follows the names of a path through the text: near enough to open the right line. */
function placeInJson(text: string, file: string, path: readonly (string | number)[]): Place {
  let at = 0;
  for (const part of path) {
    if (typeof part !== 'string') continue;
    const next = text.indexOf(`${JSON.stringify(part)}`, at);
    if (next < 0) break;
    at = next;
  }
  return { file, ...lineAt(text, at) };
}

/** Brings a document to the one version that is read; refuses what is none. `entry`: the others may be fragments. */
export type Prepare = (document: ParsedDocument, entry: boolean) => unknown;

const prepareOpenApi: Prepare = ({ file, value, placeOf }, entry) => {
  const version = isTree(value) ? (value.openapi ?? value.swagger) : undefined;
  if (version === undefined && !entry) return value;
  if (!isTree(value) || version === undefined)
    throw new HingeError('HNG-122', `${file} names no OpenAPI version`, { file, line: 1 });
  if (!/^(2\.0|3\.[01](\.\d+)?)$/.test(String(version as string)))
    throw new HingeError('HNG-122', `${file} says OpenAPI ${String(version as string)}`, placeOf(['openapi']));
  try {
    const copy = withNullAmong(structuredClone(value));
    return upgrade(value.swagger === undefined ? copy : beforeTwo(copy), '3.1');
  } catch (cause) {
    throw new HingeError(
      'HNG-121',
      `the document cannot be read as OpenAPI: ${(cause as Error).message}`,
      { file, line: 1 },
      { cause },
    );
  }
};

/** What is nullable in 3.0 may be null where it is one of a list of values too (common practice); the upgrader leaves that out. */
function withNullAmong<T>(root: T): T {
  const seen = new Set<unknown>();
  const open: unknown[] = [root];
  for (let node = open.pop(); node !== undefined; node = open.pop()) {
    if (node === null || typeof node !== 'object' || seen.has(node)) continue;
    seen.add(node);
    const { nullable, type, enum: values } = node as { nullable?: unknown; type?: unknown; enum?: unknown };
    if (nullable === true && typeof type === 'string' && Array.isArray(values) && !values.includes(null))
      values.push(null);
    for (const inner of Object.values(node)) if (inner !== undefined) open.push(inner);
  }
  return root;
}

/** All documents of one contract in JSON or YAML; references across them by file and pointer (RFC 6901). */
export class OpenApiSource {
  private readonly documents = new Map<string, ParsedDocument>();
  readonly root: Tree;
  readonly entry: ParsedDocument;

  constructor(
    private readonly source: ContractFiles,
    private readonly prepare: Prepare = prepareOpenApi,
  ) {
    const text = source.files[source.entry];
    if (text === undefined)
      throw new HingeError('HNG-112', `${source.entry} is not among the files`, { file: source.entry });
    this.entry = parseTree(text, source.entry);
    this.root = prepare(this.entry, true) as Tree;
    this.documents.set(source.entry, { ...this.entry, value: this.root });
  }

  /** What a reference from `file` leads to, with the file and pointer it has there. */
  resolve(ref: string, file: string): { value: unknown; file: string; pointer: string } {
    const hash = ref.indexOf('#');
    const location = hash < 0 ? ref : ref.slice(0, hash);
    let pointer = hash < 0 ? '' : ref.slice(hash + 1);
    const target = location === '' ? file : this.fileOf(location, file, ref);
    let document = this.documents.get(target);
    if (!document) {
      document = parseTree(this.source.files[target]!, target);
      document = { ...document, value: this.prepare(document, false) };
      this.documents.set(target, document);
    }
    if (target === this.source.entry) pointer = movedPointer(pointer);
    if (pointer !== '' && !pointer.startsWith('/'))
      pointer = anchored(document.value, decode(pointer)) ?? `/${pointer}`;
    let at: unknown = document.value;
    for (const part of pointer.split('/').slice(1)) {
      const name = unescapePointer(decode(part));
      at =
        isTree(at) && Object.hasOwn(at, name)
          ? at[name]
          : Array.isArray(at)
            ? (at as unknown[])[Number(name)]
            : undefined;
    }
    if (at === undefined)
      throw new HingeError('HNG-115', `the reference ${ref} leads to nothing`, { file, line: this.lineOf(file, ref) });
    return { value: at, file: target, pointer };
  }

  private fileOf(location: string, file: string, ref: string): string {
    const target = fileFor(this.source, file, location);
    if (target === undefined)
      throw new HingeError('HNG-112', `${location} is referred to and was not given`, {
        file,
        line: this.lineOf(file, ref),
      });
    return target;
  }

  private lineOf(file: string, text: string): number | undefined {
    const source = this.source.files[file];
    const at = source?.indexOf(text) ?? -1;
    return at < 0 ? undefined : lineAt(source!, at).line;
  }

  placeOf(file: string, path: readonly (string | number)[]): Place {
    const document = file === this.source.entry ? this.entry : this.documents.get(file);
    // In 2.0 schemas stand elsewhere.
    const two = isTree(this.entry.value) && this.entry.value.swagger !== undefined && document === this.entry;
    const moved = two && path[0] === 'components' && path[1] === 'schemas' ? ['definitions', ...path.slice(2)] : path;
    return document?.placeOf(moved) ?? { file };
  }
}

const decode = (part: string): string => {
  try {
    return decodeURIComponent(part);
  } catch {
    return part;
  }
};

/** Where OpenAPI 2.0 kept what 3.x keeps in components; references from other files still say so. */
function movedPointer(pointer: string): string {
  return pointer
    .replace(/^\/definitions\//, '/components/schemas/')
    .replace(/^\/parameters\//, '/components/parameters/')
    .replace(/^\/responses\//, '/components/responses/');
}

/** Every $ref to another document, in one parsed document. */
export function externalReferences(value: unknown): string[] {
  const out = new Set<string>();
  const walk = (node: unknown, depth: number): void => {
    if (node === null || typeof node !== 'object' || depth > LIMITS.jsonDepth) return;
    if (!Array.isArray(node)) {
      const ref = (node as Tree).$ref;
      if (typeof ref === 'string' && !ref.startsWith('#')) out.add(ref.split('#')[0]!);
    }
    for (const v of Object.values(node)) walk(v, depth + 1);
  };
  walk(value, 0);
  return [...out];
}

export { resolveLocation };

/** Pointer to the schema with this `$anchor` (JSON Schema 2020-12 §8.2.2). */
function anchored(node: unknown, anchor: string, pointer = '', depth = 0): string | undefined {
  if (depth > 60 || node === null || typeof node !== 'object') return undefined;
  if (isTree(node) && node.$anchor === anchor) return pointer;
  for (const [key, inner] of Object.entries(node)) {
    const found = anchored(inner, anchor, `${pointer}/${escapePointer(key)}`, depth + 1);
    if (found !== undefined) return found;
  }
  return undefined;
}
