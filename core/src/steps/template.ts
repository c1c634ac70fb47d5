import { writeJson } from '../codec/json';
import type { Run } from '../flow/run';
import { isJson, isXml } from '../message/headers';
import { isNumber } from '../message/digits';
import { finding, type Finding } from '../problem';
import { escapeAttribute, readXmlTree } from '../xml';
import { checkExpression, readsBody, runnable } from './expression';
import type { MessageType, StepContext } from './kind';

/** Text with `{{ expression }}` in it: each is replaced by its value, written as its place demands. */
export interface Template {
  readonly readsBody: boolean;
  render(run: Run): string | Promise<string>;
}

interface Piece {
  readonly text: string;
  /** Undefined for text that stands as it is. */
  readonly expression?: string;
  /** The place is inside a JSON string. */
  readonly quoted?: boolean;
}

/** Cuts at the marks. In JSON it is known whether a mark stands inside a string. */
export function templatePieces(source: string, json: boolean): Piece[] {
  const out: Piece[] = [];
  let at = 0;
  let quoted = false;
  for (const m of source.matchAll(/\{\{([\s\S]*?)\}\}/g)) {
    const text = source.slice(at, m.index);
    if (json) quoted = insideString(text, quoted);
    out.push({ text }, { text: m[0], expression: m[1]!.trim(), quoted });
    at = m.index + m[0].length;
  }
  out.push({ text: source.slice(at) });
  return out.filter((p) => p.text !== '');
}

function insideString(text: string, before: boolean): boolean {
  let inside = before;
  for (let i = 0; i < text.length; i++) {
    if (text[i] === '\\' && inside) i++;
    else if (text[i] === '"') inside = !inside;
  }
  return inside;
}

export function compileTemplate(source: string, mediaType: string): Template {
  const json = isJson(mediaType);
  const xml = isXml(mediaType);
  const pieces = templatePieces(source, json).map((p) => ({
    ...p,
    e: p.expression === undefined ? undefined : runnable(p.expression),
  }));
  return {
    readsBody: pieces.some((p) => p.e && readsBody(p.e)),
    async render(run) {
      let out = '';
      for (const p of pieces) {
        if (!p.e) {
          out += p.text;
          continue;
        }
        let v = p.e.evaluate(run.scope);
        if (v instanceof Promise) v = await v;
        out += json ? inJson(v, p.quoted ?? false) : xml ? escapeAttribute(words(v)) : words(v);
      }
      return out;
    },
  };
}

const words = (v: unknown): string =>
  v === undefined || v === null ? '' : typeof v === 'string' ? v : isNumber(v) ? String(v) : writeJson(v);

/** A value stands as JSON; inside a string its text does, escaped. Nothing is null. */
function inJson(v: unknown, quoted: boolean): string {
  return quoted ? JSON.stringify(words(v)).slice(1, -1) : v === undefined ? 'null' : writeJson(v);
}

/** Mistakes in the expressions, and text that could not be JSON or XML whatever the values are. */
export function checkTemplate(
  source: string,
  mediaType: string,
  context: StepContext,
  pointer: string,
  before: MessageType,
  report: (f: Finding) => void,
): void {
  const json = isJson(mediaType);
  const pieces = templatePieces(source, json);
  for (const p of pieces)
    if (p.expression !== undefined) checkExpression(p.expression, context, pointer, before, report);
  const place = { ...context.place, pointer: `${context.place.pointer ?? ''}${pointer}` };
  const filled = pieces.map((p) => (p.expression === undefined ? p.text : json && !p.quoted ? '0' : 'x')).join('');
  if (!filled.trim()) return;
  try {
    if (json) JSON.parse(filled);
    else if (isXml(mediaType)) readXmlTree(filled, 'template');
  } catch (error) {
    report(finding('HNG-323', `the template is no ${json ? 'JSON' : 'XML'}: ${(error as Error).message}`, place));
  }
}
