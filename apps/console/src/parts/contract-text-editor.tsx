import { json } from '@codemirror/lang-json';
import { yaml } from '@codemirror/lang-yaml';
import type { ContractProblemView } from '@virga/protocol';
import { useMemo } from 'react';
import CodeEditor from './code-editor';
import { openapiHelp } from './openapi-help';

/** An editor of a description, with help and problems where they are. A chunk of its own. */
export default function ContractTextEditor({
  value,
  format,
  problems,
  onChange,
  height,
  line,
}: {
  readonly value: string;
  readonly format: 'json' | 'yaml';
  readonly problems: readonly ContractProblemView[];
  readonly onChange: (text: string) => void;
  readonly height: string;
  readonly line: number | undefined;
}) {
  const language = useMemo(() => [format === 'json' ? json() : yaml(), ...openapiHelp(format, problems)], [format, problems]);
  return <CodeEditor label="Contract" height={height} value={value} format={language} line={line} onChange={onChange} />;
}
