import { LineCounter, parseDocument, stringify } from 'yaml';
import { LIMITS } from '../limits';
import { lower } from '../message/digits';
import { finding, HingeError, type Finding, type Place } from '../problem';
import { escapePointer } from '../schema';
import { FlowDocumentSchema, FORMAT_VERSION, type FlowDocument } from './document';
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
  const lineOf = (path: readonly PropertyKey[]): Place => {
    for (let n = path.length; n >= 0; n--) {
      const node = n === 0 ? yaml.contents : yaml.getIn(path.slice(0, n), true);
      const range = (node as { range?: [number, number, number] } | undefined)?.range;
      if (range) {
        const pos = lines.linePos(range[0]);
        return { line: pos.line, column: pos.col };
      }
    }
    return {};
  };
  return checkShape(value, (path) => ({
    file,
    pointer: path.map((p) => `/${escapePointer(String(p))}`).join(''),
    ...lineOf(path),
  }));
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
  const result = FlowDocumentSchema.safeParse(migrateDocument(value as Record<string, unknown>));
  if (result.success) return { document: result.data, findings: [] };
  return {
    document: undefined,
    findings: result.error.issues
      .slice(0, LIMITS.inputFaults)
      .map((issue) =>
        finding('HNG-202', `${issue.path.join('.') || 'the document'}: ${issue.message}`, place(issue.path)),
      ),
  };
}

/** Keys in the order of the schema; the same document always gives the same text. */
export function writeDocument(document: FlowDocument): string {
  return stringify(lower(FlowDocumentSchema.parse(document)), {
    lineWidth: 0,
    indentSeq: true,
    aliasDuplicateObjects: false,
  });
}
