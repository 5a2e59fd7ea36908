import { unifiedMergeView } from '@codemirror/merge';
import CodeMirror, { EditorView } from '@uiw/react-codemirror';
import { codeLook } from './code-look';

/** Colours of what came and went, from the house's own. */
const CHANGES = EditorView.theme({
  '.cm-changedLine': { backgroundColor: 'color-mix(in srgb, var(--moss) 14%, transparent) !important' },
  '.cm-changedText': { background: 'color-mix(in srgb, var(--moss) 26%, transparent) !important' },
  '.cm-deletedChunk': { backgroundColor: 'color-mix(in srgb, var(--rust) 10%, transparent) !important' },
  '.cm-deletedChunk .cm-deletedText': { background: 'color-mix(in srgb, var(--rust) 22%, transparent) !important' },
  '.cm-changedLineGutter': { background: 'var(--moss) !important' },
  '.cm-deletedLineGutter': { background: 'var(--rust) !important' },
  '.cm-collapsedLines:before, .cm-collapsedLines:after': { content: '"" !important' },
  '.cm-collapsedLines': { background: 'var(--margin) !important', color: 'var(--pencil)' },
});

/** Two texts as one, with what went above what came; what is the same is folded. A chunk of its own. */
export default function TextDiff({
  before,
  after,
  format,
  label,
  height = '260px',
}: {
  readonly before: string;
  readonly after: string;
  readonly format: 'json' | 'yaml';
  readonly label: string;
  readonly height?: string;
}) {
  return (
    <CodeMirror
      value={after}
      theme="none"
      height={height}
      editable={false}
      extensions={[
        ...codeLook(format, label),
        unifiedMergeView({ original: before, mergeControls: false, gutter: true, collapseUnchanged: { margin: 2, minSize: 4 } }),
        CHANGES,
      ]}
      style={{ fontSize: 12.5, border: '1px solid var(--hairline)' }}
    />
  );
}
