import type { Run } from '../flow/run';
import { isCsv, isJson, isXml } from '../message/headers';
import { finding, type Finding } from '../problem';
import { readXmlTree } from '../xml';
import { checkExpression, readsBody, runnable } from './expression';
import type { MessageType, StepContext } from './kind';
import { writerFor, type TemplateForm } from './template-place';

/** Text with `{{ expression }}` in it: each is replaced by its value, written as its place demands. */
export interface Template {
  readonly readsBody: boolean;
  /** It reads what a wildcard took. */
  readonly readsRest: boolean;
  /** Throws a Refusal where a value cannot stand in its place. */
  render(run: Run): string | Promise<string>;
}

interface Piece {
  readonly text: string;
  /** Undefined for text that stands as it is. */
  readonly expression?: string;
  /** The place is inside a JSON string. */
  readonly quoted?: boolean;
}

/** Cuts at the marks. In JSON and CSV (`quotes`) it is known whether a mark stands inside a string. */
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

/** `form`: where the template stands, so that each value is written for its place; it throws a Refusal where a value cannot stand there. */
export function compileTemplate(source: string, form: TemplateForm): Template {
  const quotes = typeof form === 'object' && (isJson(form.mediaType) || isCsv(form.mediaType));
  const cut = templatePieces(source, quotes);
  let before = '';
  const pieces = cut.map((p, i) => {
    if (p.expression === undefined) {
      before += p.text;
      return { text: p.text, e: undefined, write: undefined };
    }
    const e = runnable(p.expression);
    const after = cut[i + 1];
    const at = { before, after: after === undefined ? '' : after.text, quoted: p.quoted ?? false, expression: e };
    const write = writerFor(form, at);
    // What is written stands for something: it is no beginning any more.
    before += '\u0000';
    return { text: p.text, e, write };
  });
  return {
    readsBody: pieces.some((p) => p.e && readsBody(p.e)),
    readsRest: pieces.some((p) => p.e?.reads.some((r) => r[0] === 'rest')),
    async render(run) {
      let out = '';
      for (const p of pieces) {
        if (!p.e) {
          out += p.text;
          continue;
        }
        let v = p.e.evaluate(run.scope);
        if (v instanceof Promise) v = await v;
        out += p.write(v);
      }
      return out;
    },
  };
}

/** Mistakes in the expressions, and text that could not be JSON or XML whatever the values are. */
export function checkTemplate(
  source: string,
  form: TemplateForm,
  context: StepContext,
  pointer: string,
  before: MessageType,
  report: (f: Finding) => void,
): void {
  const mediaType = typeof form === 'object' ? form.mediaType : 'text/plain';
  const json = isJson(mediaType);
  const pieces = templatePieces(source, json);
  for (const p of pieces)
    if (p.expression !== undefined) checkExpression(p.expression, context, pointer, before, report);
  const place = { ...context.place, pointer: `${context.place.pointer ?? ''}${pointer}` };
  const open = pieces.findIndex((p) => p.expression === undefined && p.text.includes('{{'));
  if (open >= 0) {
    const position = pieces.slice(0, open).reduce((n, p) => n + p.text.length, 0) + pieces[open]!.text.indexOf('{{');
    report(
      finding('HNG-323', 'the template opens {{ and never closes it', { ...place, position }, 'Close it with }}.'),
    );
    return;
  }
  const filled = pieces.map((p) => (p.expression === undefined ? p.text : json && !p.quoted ? '0' : 'x')).join('');
  if (!filled.trim()) return;
  try {
    if (json) JSON.parse(filled);
    else if (isXml(mediaType)) readXmlTree(filled, 'template');
  } catch (error) {
    report(finding('HNG-323', `the template is no ${json ? 'JSON' : 'XML'}: ${(error as Error).message}`, place));
  }
}
