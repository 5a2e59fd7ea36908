import { checkScript, completeScript, type ConditionScope } from '@virga/core';
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { javascriptLanguage } from '@codemirror/lang-javascript';
import { linter } from '@codemirror/lint';
import { useMemo } from 'react';
import CodeEditor from './code-editor';

const complete =
  (scope: ConditionScope) =>
  (context: CompletionContext): CompletionResult | null => {
    const { from, words } = completeScript(context.state.doc.toString(), context.pos, scope);
    const before = context.state.sliceDoc(Math.max(0, from - 1), from);
    if (from === context.pos && before !== '.' && !context.explicit) return null;
    return { from, options: words.map(({ word, detail, about }) => ({ label: word, detail, info: about, type: 'property' })), validFor: /^\w*$/ };
  };

/** The editor of a script: marks what is wrong while one writes, and offers what its input has. */
export default function ScriptEditor({
  value,
  onChange,
  scope,
  offered,
  label,
}: {
  readonly value: string;
  readonly onChange: (source: string) => void;
  readonly scope: ConditionScope;
  /** What more is known of what it is called with, as far as it is offered and nothing is held against it. */
  readonly offered: ConditionScope;
  readonly label: string;
}) {
  const extensions = useMemo(
    () => [
      javascriptLanguage,
      linter(
        (view) => {
          const source = view.state.doc.toString();
          return checkScript(source, scope).map(({ at, length, says }) => ({
            from: Math.min(at, source.length),
            to: Math.min(at + length, source.length),
            severity: 'error' as const,
            message: says,
          }));
        },
        { delay: 200 },
      ),
      autocompletion({ override: [complete(offered)], icons: false }),
    ],
    [scope, offered],
  );
  return <CodeEditor value={value} format={extensions} onChange={onChange} height="280px" label={label} wrap />;
}
