'use client';
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { linter } from '@codemirror/lint';
import { StreamLanguage, type StreamParser } from '@codemirror/language';
import { EditorView, keymap } from '@codemirror/view';
import { Prec } from '@codemirror/state';
import { editorLook } from './editor-look';
import CodeMirror from '@uiw/react-codemirror';
import { compileExpression, pathExpression, type ExpressionError, type TypeRow } from '@hinge/core';
import { use, useMemo } from 'react';
import { NowContext, nowWords, type Now } from './now';

const parser: StreamParser<object> = {
  startState: () => ({}),
  token(stream) {
    if (stream.eatSpace()) return null;
    if (stream.match(/^"(?:[^"\\]|\\.)*"?|^'(?:[^'\\]|\\.)*'?/)) return 'string';
    if (stream.match(/^\/\*.*?(\*\/|$)/)) return 'comment';
    if (stream.match(/^\d+(\.\d+)?([eE][+-]?\d+)?/)) return 'number';
    if (stream.match(/^\$[A-Za-z_]*/)) return 'variableName.special';
    if (stream.match(/^(and|or|in|true|false|null|function)\b/)) return 'keyword';
    if (stream.match(/^[A-Za-z_]\w*|^`[^`]*`?/)) return 'variableName';
    stream.next();
    return null;
  },
};
const language = StreamLanguage.define(parser);

const FUNCTIONS = [
  '$string',
  '$number',
  '$boolean',
  '$exists',
  '$count',
  '$sum',
  '$max',
  '$min',
  '$average',
  '$uppercase',
  '$lowercase',
  '$trim',
  '$substring',
  '$substringBefore',
  '$substringAfter',
  '$split',
  '$join',
  '$replace',
  '$contains',
  '$match',
  '$now',
  '$millis',
  '$toMillis',
  '$fromMillis',
  '$map',
  '$filter',
  '$reduce',
  '$sort',
  '$distinct',
  '$reverse',
  '$append',
  '$keys',
  '$lookup',
  '$merge',
  '$each',
  '$not',
  '$round',
  '$floor',
  '$ceil',
  '$abs',
  '$length',
  '$pad',
  '$base64encode',
  '$base64decode',
];

interface Props {
  readonly value: string;
  readonly rows: readonly TypeRow[];
  readonly label: string;
  readonly readOnly?: boolean;
  readonly autoFocus?: boolean;
  readonly onChange?: (value: string) => void;
  readonly onLeave?: () => void;
  /** Names in reach besides the rows. */
  readonly extra?: readonly { readonly label: string; readonly detail: string }[];
}

/** JSONata with names completed from the types in reach, and mistakes marked where they are. */
export function ExpressionEditor({ value, rows, label, readOnly, autoFocus, onChange, onLeave, extra }: Props) {
  const now = use(NowContext);
  const extensions = useMemo(
    () => [
      language,
      editorLook,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': label }),
      autocompletion({ override: [(context) => complete(context, rows, now, extra)], icons: false }),
      linter((view) => mistakes(view.state.doc.toString()), { delay: 150 }),
      Prec.lowest(keymap.of([{ key: 'Escape', run: () => (onLeave?.(), true) }])),
    ],
    [rows, label, onLeave, extra, now],
  );
  return (
    <CodeMirror
      indentWithTab={false}
      value={value}
      readOnly={readOnly}
      autoFocus={autoFocus}
      theme="none"
      extensions={extensions}
      onChange={onChange}
      basicSetup={{
        lineNumbers: false,
        foldGutter: false,
        highlightActiveLine: false,
        autocompletion: false,
        searchKeymap: false,
      }}
    />
  );
}

function complete(
  context: CompletionContext,
  rows: readonly TypeRow[],
  now: Now,
  extra: Props['extra'] = [],
): CompletionResult | null {
  const word = context.matchBefore(/[\w.$`-]*/);
  if (!word || (word.from === word.to && !context.explicit)) return null;
  const options = [
    ...extra,
    ...rows.map((r) => ({
      label: pathExpression(r.pointer),
      detail: nowWords(r.words, now(r.pointer)),
      info: r.description,
    })),
    ...FUNCTIONS.map((f) => ({ label: f, detail: 'function', apply: `${f}(` })),
  ];
  return { from: word.from, options, validFor: /^[\w.$`-]*$/ };
}

function mistakes(text: string) {
  if (!text.trim()) return [];
  try {
    compileExpression(text);
    return [];
  } catch (error) {
    const e = error as ExpressionError;
    const from = Math.min(e.position ?? 0, Math.max(0, text.length - 1));
    return [{ from, to: Math.min(text.length, from + 1), severity: 'error' as const, message: e.message }];
  }
}
