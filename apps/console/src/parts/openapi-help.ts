import { autocompletion, type CompletionContext, type CompletionResult } from '@codemirror/autocomplete';
import { indentService, syntaxTree } from '@codemirror/language';
import { linter, lintGutter, type Diagnostic } from '@codemirror/lint';
import type { ContractProblemView } from '@virga/protocol';
import type { EditorState, Extension } from '@uiw/react-codemirror';
import { wordsAt } from './openapi-words';

/** Names of members around a place of a YAML text, by how far lines are indented; `*` for items of lists. */
export function yamlPath(lines: readonly string[], line: number, indent: number): string[] {
  const path: string[] = [];
  let depth = indent;
  for (let at = line - 1; at >= 0 && depth > 0; at--) {
    const text = lines[at] ?? '';
    const match = /^(\s*)((?:- +)*)(?:["']?([^"':#][^"':]*)["']?\s*:)?/.exec(text);
    if (!match || text.trim() === '' || text.trim().startsWith('#')) continue;
    const [, space = '', dashes = '', name] = match;
    if (space.length >= depth) continue;
    if (dashes !== '') {
      // The members of an item stand behind its dash.
      if (space.length + dashes.length < depth && name !== undefined) path.unshift(name.trim());
      path.unshift('*');
    } else if (name !== undefined) path.unshift(name.trim());
    depth = space.length;
  }
  return path;
}

function jsonPath(state: EditorState, pos: number): string[] {
  const path: string[] = [];
  for (let node = syntaxTree(state).resolveInner(pos, -1).parent; node; node = node.parent) {
    if (node.name === 'Property') {
      const name = node.getChild('PropertyName');
      if (name && pos > name.to) path.unshift(state.sliceDoc(name.from + 1, name.to - 1));
    } else if (node.name === 'Array') path.unshift('*');
  }
  return path;
}

function complete(format: 'json' | 'yaml'): (context: CompletionContext) => CompletionResult | null {
  return (context) => {
    const line = context.state.doc.lineAt(context.pos);
    const before = line.text.slice(0, context.pos - line.from);
    const match = format === 'yaml' ? /^(\s*(?:- +)?)([\w$]*)$/.exec(before) : /^(\s*(?:.*[{,]\s*)?)"?([\w$]*)$/.exec(before);
    if (!match || (!context.explicit && match[2] === '')) return null;
    const indent = match[1]?.length ?? 0;
    const inItem = format === 'yaml' && /- +$/.test(match[1] ?? '');
    const path =
      format === 'yaml'
        ? [...yamlPath(context.state.doc.toString().split('\n'), line.number - 1, inItem ? line.text.indexOf('-') + 1 : indent), ...(inItem ? ['*'] : [])]
        : jsonPath(context.state, context.pos);
    const words = wordsAt(path);
    if (words.length === 0) return null;
    return {
      from: context.pos - (match[2]?.length ?? 0),
      options: words.map(({ name, about }) => ({ label: name, detail: about, apply: format === 'yaml' ? `${name}: ` : name })),
      validFor: /^[\w$]*$/,
    };
  };
}

/** A line behind one that opens an object begins inside it; every other as the one before. */
const yamlIndent = indentService.of((context, pos) => {
  const { text } = context.lineAt(pos, -1);
  const inside = /^(\s*)((?:- +)?)/.exec(text);
  const depth = (inside?.[1]?.length ?? 0) + (inside?.[2]?.length ?? 0);
  return /:\s*$/.test(text) ? depth + 2 : depth;
});

/** Help with a description: names that may stand at a place, and problems where they are. @param problems of the text as it was read last */
export const openapiHelp = (format: 'json' | 'yaml', problems: readonly ContractProblemView[]): Extension[] => [
  ...(format === 'yaml' ? [yamlIndent] : []),
  autocompletion({ override: [complete(format)], icons: false }),
  lintGutter(),
  linter((view): Diagnostic[] =>
    problems.flatMap(({ line, message, severity }) => {
      if (line === null || line < 1 || line > view.state.doc.lines) return [];
      const { from, to } = view.state.doc.line(line);
      return [{ from, to, severity: severity === 'error' ? ('error' as const) : ('info' as const), message }];
    }),
  ),
];
