import { againstContract, completeCondition, compileCondition, type ConditionFault, type ConditionScope } from '@virga/core';
import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { StreamLanguage } from '@codemirror/language';
import { linter, type Diagnostic } from '@codemirror/lint';
import { useMemo } from 'react';
import CodeEditor from './code-editor';

/** Colours only: what a condition means is said by core. */
const WORDS = StreamLanguage.define<null>({
  token: (stream) => {
    if (stream.eatSpace()) return null;
    if (stream.match('//')) {
      stream.skipToEnd();
      return 'comment';
    }
    if (stream.match(/^[rRbB]{0,2}(?:"(?:[^"\\]|\\.)*"?|'(?:[^'\\]|\\.)*'?)/)) return 'string';
    if (stream.match(/^\d[\w.]*/)) return 'number';
    if (stream.match(/^(?:true|false|null|in)\b/)) return 'keyword';
    if (stream.match(/^[A-Za-z_]\w*/)) return 'propertyName';
    stream.next();
    return null;
  },
});

const complete =
  (scope: ConditionScope) =>
  (context: CompletionContext): CompletionResult | null => {
    const { from, words } = completeCondition(context.state.doc.toString(), context.pos, scope);
    const before = context.state.sliceDoc(Math.max(0, from - 1), from);
    if (from === context.pos && before !== '.' && !context.explicit) return null;
    return {
      from,
      options: words.map(({ word, kind, detail, about }) => ({
        label: word,
        detail,
        info: about,
        type: kind === 'function' ? 'function' : 'property',
        ...(kind === 'function' ? { apply: `${word}(` } : {}),
      })),
      validFor: /^\w*$/,
    };
  };

/** The editor of one condition: marks what is wrong while one writes, and offers what could stand there. */
export default function ConditionEditor({
  value,
  onChange,
  scope,
  label,
}: {
  readonly value: string;
  readonly onChange: (source: string) => void;
  readonly scope: ConditionScope;
  readonly label: string;
}) {
  const extensions = useMemo(
    () => [
      WORDS,
      linter(
        (view) => {
          const source = view.state.doc.toString();
          if (source.trim() === '') return [];
          const compiled = compileCondition(source, scope);
          const marked = (faults: readonly ConditionFault[], severity: Diagnostic['severity']): Diagnostic[] =>
            faults.map(({ at, length, says }) => ({ from: Math.min(at, source.length), to: Math.min(at + length, source.length), severity, message: says }));
          if (!('evaluate' in compiled)) return marked(compiled, 'error');
          const { faults, never } = againstContract(source, scope);
          return marked([...faults, ...never], 'warning');
        },
        { delay: 150 },
      ),
      autocompletion({ override: [complete(scope)], icons: false }),
    ],
    [scope],
  );
  return (
    // Escape that closed what the editor had open is not for the dialog around it.
    <div onKeyDown={(event) => event.key === 'Escape' && event.defaultPrevented && event.stopPropagation()}>
      <CodeEditor value={value} format={extensions} onChange={onChange} height="92px" label={label} bare />
    </div>
  );
}
