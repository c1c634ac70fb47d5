import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { EditorView } from '@codemirror/view';
import { tags } from '@lezer/highlight';

const theme = EditorView.theme({
  '&': { fontSize: '12px', background: 'transparent' },
  '.cm-content': { fontFamily: "'Sometype Mono Variable', monospace", padding: '4px 0', caretColor: 'var(--ink)' },
  '.cm-line': { padding: '0 8px' },
  '.cm-gutters': { background: 'transparent', border: 'none', color: 'var(--faint)' },
  '.cm-activeLineGutter': { background: 'var(--spruce-wash)', color: 'var(--ink)' },
  '.cm-gutter-lint': { width: '12px' },
  '.cm-lint-marker': { width: '8px', height: '8px', borderRadius: '4px', margin: '5px 2px', content: "''" },
  '.cm-lint-marker-error': { background: 'var(--rust)' },
  '.cm-lint-marker-warning': { background: 'var(--brass)' },
  '.cm-lint-marker-info': { background: 'var(--hairline)' },
  '.cm-lintRange-warning': { backgroundImage: 'none', borderBottom: '2px solid var(--brass)' },
  '.cm-lintRange-info': { backgroundImage: 'none' },
  '&.cm-focused': { outline: 'none' },
  '.cm-tooltip': { background: 'var(--leaf)', border: '1px solid var(--hairline)', borderRadius: '6px' },
  '.cm-tooltip-autocomplete ul li': { fontFamily: "'Sometype Mono Variable', monospace", padding: '2px 8px' },
  '.cm-tooltip-autocomplete ul li[aria-selected]': { background: 'var(--spruce-wash)', color: 'var(--ink)' },
  '.cm-completionDetail': {
    color: 'var(--soft)',
    fontStyle: 'normal',
    fontFamily: "'Commissioner Variable', sans-serif",
  },
  '.cm-lintRange-error': { backgroundImage: 'none', borderBottom: '2px solid var(--rust)' },
});

/** Values as they came in spruce, words of the language in brass, names in ink. */
const colours = HighlightStyle.define([
  { tag: [tags.string, tags.number, tags.bool, tags.null], color: 'var(--spruce)' },
  { tag: [tags.keyword, tags.special(tags.variableName)], color: 'var(--brass)' },
  { tag: tags.comment, color: 'var(--faint)' },
]);

/** Every editor of the studio looks like this. */
export const editorLook = [theme, syntaxHighlighting(colours)];
