import {
  isAlias,
  isMap,
  isScalar,
  isSeq,
  LineCounter,
  parseDocument,
  stringify,
  type Document as ParsedDocument,
} from 'yaml';
import { LIMITS } from '../limits';
import { lower } from '../message/digits';
import { finding, HingeError, type Finding, type Place } from '../problem';
import { escapePointer, pointerParts } from '../schema';
import { FlowDocumentSchema, FORMAT_VERSION, type FlowDocument } from './document';
import { formFaults } from './issues';
import { migrateDocument } from './migrate';

/** A flow document read from text: the value, or what is wrong with it. */
export type ReadDocument =
  | { readonly document: FlowDocument; readonly findings: readonly [] }
  | { readonly document: undefined; readonly findings: readonly Finding[] };

/** Reads YAML 1.2 or JSON. Throws HNG-201 for text that is neither; schema faults come back as findings with pointer and line. */
export function readDocument(text: string, file?: string): ReadDocument {
  if (text.length > LIMITS.documentBytes)
    throw new HingeError('HNG-103', `the document is larger than ${LIMITS.documentBytes} bytes`, { file });
  const lines = new LineCounter();
  const yaml = parseDocument(text, { lineCounter: lines, uniqueKeys: true });
  const bad = yaml.errors[0];
  if (bad) {
    const at = bad.linePos?.[0];
    throw new HingeError('HNG-201', bad.message.split('\n')[0]!.replace(/ at line \d+, column \d+:?$/, ''), {
      file,
      line: at?.line,
      column: at?.col,
    });
  }
  let value: unknown;
  try {
    value = yaml.toJS({ maxAliasCount: 100 });
  } catch (cause) {
    throw new HingeError('HNG-201', (cause as Error).message, { file }, { cause });
  }
  const keyAt = keyPlaces(yaml, lines);
  return checkShape(value, (path) => ({
    file,
    pointer: path.map((p) => `/${escapePointer(String(p))}`).join(''),
    ...keyAt(path),
  }));
}

/** Line and column, in the text of a document, of what an RFC 6901 pointer points at. The text is read when the first one is asked for. */
export function placesIn(text: string): (pointer: string) => Place {
  let keyAt: ReturnType<typeof keyPlaces> | undefined;
  return (pointer) => {
    if (!keyAt) {
      const lines = new LineCounter();
      keyAt = keyPlaces(parseDocument(text, { lineCounter: lines, uniqueKeys: true }), lines);
    }
    return keyAt(pointerParts(pointer));
  };
}

/** Line and column of a key or an item of the text; of what is not there, of the nearest above it. */
function keyPlaces(yaml: ParsedDocument, lines: LineCounter): (path: readonly PropertyKey[]) => Place {
  const start = (node: unknown): Place => {
    const range = (node as { range?: readonly number[] } | null | undefined)?.range;
    if (range?.[0] === undefined) return {};
    const { line, col } = lines.linePos(range[0]);
    return { line, column: col };
  };
  return (path) => {
    let at: unknown = yaml.contents;
    let place = start(at);
    for (const part of path) {
      const node: unknown = isAlias(at) ? at.resolve(yaml) : at;
      if (isMap(node)) {
        const pair = node.items.find((p) => String(isScalar(p.key) ? p.key.value : p.key) === String(part));
        if (!pair) return place;
        place = start(pair.key);
        at = pair.value;
      } else if (isSeq(node) && node.items[Number(part)] !== undefined) {
        at = node.items[Number(part)];
        place = start(at);
      } else return place;
    }
    return place;
  };
}

/** Checks a plain value against the schema of the document, older formats brought up to date first. */
export function checkShape(value: unknown, place: (path: readonly PropertyKey[]) => Place): ReadDocument {
  if (value === null || typeof value !== 'object' || Array.isArray(value)) {
    return {
      document: undefined,
      findings: [finding('HNG-202', 'a flow document is a mapping with hinge, api, doors and operations', place([]))],
    };
  }
  const version = (value as { hinge?: unknown }).hinge;
  if (typeof version === 'number' && (version > FORMAT_VERSION || version < 0 || !Number.isInteger(version))) {
    return {
      document: undefined,
      findings: [
        finding(
          'HNG-203',
          `the document has format ${version}; this program knows up to ${FORMAT_VERSION}`,
          place(['hinge']),
        ),
      ],
    };
  }
  const migrated = migrateDocument(value as Record<string, unknown>);
  const result = FlowDocumentSchema.safeParse(migrated);
  if (result.success) return { document: result.data, findings: [] };
  return {
    document: undefined,
    findings: formFaults(result.error, FlowDocumentSchema, migrated, LIMITS.inputFaults).map((f) =>
      finding('HNG-202', `${f.path.map(String).join('.') || 'the document'}: ${f.words}`, place(f.path), f.remedy),
    ),
  };
}

/** Keys in the order of the schema; the same document always gives the same text. */
export function writeDocument(document: FlowDocument): string {
  const read = checkShape(document, (path) => ({ pointer: path.map((p) => `/${escapePointer(String(p))}`).join('') }));
  const [first] = read.findings;
  if (first) throw new HingeError(first.code, first.message, first.place, { remedy: first.remedy });
  return stringify(lower(read.document), {
    lineWidth: 0,
    indentSeq: true,
    aliasDuplicateObjects: false,
  });
}
