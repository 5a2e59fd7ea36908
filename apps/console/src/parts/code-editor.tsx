import CodeMirror, { EditorView, type Extension, type ReactCodeMirrorRef } from '@uiw/react-codemirror';
import { useCallback } from 'react';
import { codeLook } from './code-look';

const BARE = { lineNumbers: false, foldGutter: false, highlightActiveLine: false, highlightActiveLineGutter: false };

/** The text editor; a chunk of its own, loaded where one is shown. */
export default function CodeEditor({
  value,
  format,
  onChange,
  height = '360px',
  label,
  bare = false,
  wrap = false,
  line,
}: {
  readonly value: string;
  readonly format: 'json' | 'yaml' | readonly Extension[];
  readonly onChange?: (text: string) => void;
  readonly height?: string;
  readonly label: string;
  /** Without line numbers, for a few lines. */
  readonly bare?: boolean;
  /** Long lines go on in the next. */
  readonly wrap?: boolean;
  /** A line to begin at, from 1. */
  readonly line?: number | undefined;
}) {
  const show = useCallback(
    (editor: ReactCodeMirrorRef | null) => {
      const view = editor?.view;
      if (!view || line === undefined || line < 1 || line > view.state.doc.lines) return;
      const at = view.state.doc.line(line).from;
      view.dispatch({ selection: { anchor: at }, effects: EditorView.scrollIntoView(at, { y: 'center' }) });
    },
    [line],
  );
  return (
    <CodeMirror
      value={value}
      theme="none"
      height={height}
      editable={onChange !== undefined}
      basicSetup={bare ? BARE : true}
      ref={show}
      extensions={[...codeLook(format, label), ...(bare || wrap ? [EditorView.lineWrapping] : [])]}
      {...(onChange ? { onChange } : {})}
      style={{ fontSize: 12.5, border: '1px solid var(--hairline)' }}
    />
  );
}
