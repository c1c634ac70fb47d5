'use client';
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { json } from '@codemirror/lang-json';
import { xml } from '@codemirror/lang-xml';
import { EditorView } from '@codemirror/view';
import { pathExpression, type TypeRow } from '@hinge/core';
import CodeMirror from '@uiw/react-codemirror';
import { use, useMemo } from 'react';
import { editorLook } from './editor-look';
import { NowContext, nowWords, type Now } from './now';

interface Props {
  readonly label: string;
  readonly value: string;
  readonly mediaType: string;
  readonly rows: readonly TypeRow[];
  readonly readOnly?: boolean;
  readonly onChange: (value: string) => void;
}

/** Text with {{ }}: the language of its media type, names in reach completed inside the marks. */
export function TemplateEditor({ label, value, mediaType, rows, readOnly, onChange }: Props) {
  const now = use(NowContext);
  const extensions = useMemo(
    () => [
      ...(/json/i.test(mediaType) ? [json()] : /xml/i.test(mediaType) ? [xml()] : []),
      editorLook,
      EditorView.lineWrapping,
      EditorView.contentAttributes.of({ 'aria-label': label }),
      autocompletion({ override: [(c) => complete(c, rows, now)], icons: false }),
    ],
    [mediaType, rows, label, now],
  );
  return (
    <div className="frame">
      <CodeMirror
        indentWithTab={false}
        value={value}
        readOnly={readOnly}
        theme="none"
        extensions={extensions}
        onChange={onChange}
        basicSetup={{
          foldGutter: false,
          highlightActiveLine: false,
          highlightActiveLineGutter: false,
          autocompletion: false,
          searchKeymap: false,
        }}
      />
    </div>
  );
}

function complete(context: CompletionContext, rows: readonly TypeRow[], now: Now): CompletionResult | null {
  const before = context.state.doc.sliceString(0, context.pos);
  if (before.lastIndexOf('{{') <= before.lastIndexOf('}}')) return null;
  const word = context.matchBefore(/[\w.$`-]*/);
  if (!word || (word.from === word.to && !context.explicit)) return null;
  return {
    from: word.from,
    options: rows.map((r) => ({ label: pathExpression(r.pointer), detail: nowWords(r.words, now(r.pointer)) })),
    validFor: /^[\w.$`-]*$/,
  };
}
