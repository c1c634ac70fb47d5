import { parseTree } from '../contract/openapi/source';
import type { FlowDocument } from '../flow/document';
import { finding, HingeError, type Finding, type Place } from '../problem';
import { applyCallers, callersOpenApi } from './callers';
import { patchText, same, writeText, type TextFormat } from './patch';

export { same as sameJson } from './patch';
export { completeText, type Completion, type Completions } from './complete';
export { applyCallers, callersOpenApi, patchText, writeText, type TextFormat };

/** What a text says: the document that follows from it, or only findings when it cannot be read at all. */
export interface ReadText {
  readonly document: FlowDocument | undefined;
  readonly findings: readonly Finding[];
  /** Operations that the text no longer has; they are still in the document. */
  readonly gone: readonly string[];
  readonly value?: unknown;
  /** Line and column of a path in the text. */
  readonly placeOf: (path: readonly (string | number)[]) => Place;
}

const NAME = { yaml: 'openapi.yaml', json: 'openapi.json' } as const;

/** Reads an OpenAPI text against the document that it describes. The document is the same object when the text changes nothing. */
export function readText(source: string, format: TextFormat, document: FlowDocument): ReadText {
  try {
    const tree = parseTree(source, NAME[format]);
    if (format === 'json') JSON.parse(source);
    const applied = applyCallers(document, tree.value, (path) => tree.placeOf(path));
    const unchanged = same(callersOpenApi(applied.document), callersOpenApi(document));
    return {
      ...applied,
      document: unchanged ? document : applied.document,
      value: tree.value,
      placeOf: (path) => tree.placeOf(path),
    };
  } catch (error) {
    const found = error instanceof HingeError ? error.finding : undefined;
    const place = found?.place ?? {};
    return {
      document: undefined,
      findings: [finding('HNG-204', found?.message ?? (error as Error).message, place)],
      gone: [],
      placeOf: () => place,
    };
  }
}

/**
 * The text for a document: the one a person wrote, with what changed elsewhere laid into it, else a fresh one. A text that cannot be read comes back as it is.
 * Operations named in `without` are left out: the text dropped them and nobody has decided yet.
 */
export function textOf(document: FlowDocument, kept = document.text, without: readonly string[] = []): string {
  if (!kept) return writeText(callersOpenApi(document), 'yaml');
  const read = readText(kept.source, kept.format, document);
  if (!read.document) return kept.source;
  const drop = (d: FlowDocument): FlowDocument => ({
    ...d,
    operations: Object.fromEntries(
      Object.entries(d.operations).filter(([id]) => !read.gone.includes(id) || !without.includes(id)),
    ),
  });
  const says: FlowDocument = {
    ...read.document,
    operations: Object.fromEntries(Object.entries(read.document.operations).filter(([id]) => !read.gone.includes(id))),
  };
  return patchText(kept.source, kept.format, callersOpenApi(says), callersOpenApi(drop(document)));
}
