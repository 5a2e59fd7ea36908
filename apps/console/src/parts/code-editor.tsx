import { json } from '@codemirror/lang-json';
import { yaml } from '@codemirror/lang-yaml';
import CodeMirror, { EditorView } from '@uiw/react-codemirror';
import { useContext } from 'react';
import { ModeContext } from '../client/mode';

/** The text editor; a chunk of its own, loaded where one is shown. */
export default function CodeEditor({
  value,
  format,
  onChange,
  height = '360px',
  label,
}: {
  readonly value: string;
  readonly format: 'json' | 'yaml';
  readonly onChange?: (text: string) => void;
  readonly height?: string;
  readonly label: string;
}) {
  const { mode } = useContext(ModeContext);
  return (
    <CodeMirror
      value={value}
      theme={mode}
      height={height}
      editable={onChange !== undefined}
      extensions={[format === 'json' ? json() : yaml(), EditorView.contentAttributes.of({ 'aria-label': label })]}
      {...(onChange ? { onChange } : {})}
      style={{ fontSize: 12.5, border: '1px solid var(--hairline)' }}
    />
  );
}
