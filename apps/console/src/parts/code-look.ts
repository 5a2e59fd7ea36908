import { json } from '@codemirror/lang-json';
import { yaml } from '@codemirror/lang-yaml';
import { HighlightStyle, syntaxHighlighting } from '@codemirror/language';
import { tags } from '@lezer/highlight';
import { EditorView, type Extension } from '@uiw/react-codemirror';

/** The house's paper and ink; the variables change with light and dark by themselves. */
const PAPER = EditorView.theme({
  '&': { color: 'var(--ink)', backgroundColor: 'var(--sheet)' },
  '.cm-content': { fontFamily: 'var(--mono)', caretColor: 'var(--ink)', fontVariantLigatures: 'none' },
  '.cm-gutters': { backgroundColor: 'var(--sheet)', color: 'var(--pencil)', border: 'none', borderRight: '1px solid var(--hairline)' },
  '.cm-activeLine, .cm-activeLineGutter': { backgroundColor: 'color-mix(in srgb, var(--rain) 8%, transparent)' },
  '&.cm-focused .cm-selectionBackground, .cm-selectionBackground, ::selection': {
    backgroundColor: 'color-mix(in srgb, var(--rain) 24%, transparent) !important',
  },
  '.cm-cursor': { borderLeftColor: 'var(--ink)' },
  '.cm-foldPlaceholder, .cm-panels': { backgroundColor: 'var(--margin)', color: 'var(--pencil)', border: '1px solid var(--hairline)' },
  '.cm-matchingBracket': { backgroundColor: 'color-mix(in srgb, var(--moss) 24%, transparent) !important' },
  '.cm-tooltip': { backgroundColor: 'var(--sheet)', color: 'var(--ink)', border: '1px solid var(--hairline)' },
  '.cm-tooltip.cm-tooltip-autocomplete > ul > li[aria-selected]': { backgroundColor: 'var(--margin)', color: 'var(--ink)' },
  '.cm-completionDetail': { color: 'var(--pencil)', fontStyle: 'normal' },
  '.cm-completionMatchedText': { textDecoration: 'none', fontWeight: '700' },
  '.cm-diagnostic-error': { borderLeft: '3px solid var(--rust)' },
  '.cm-searchMatch': { backgroundColor: 'color-mix(in srgb, var(--ochre) 30%, transparent)' },
});

const INK = HighlightStyle.define([
  { tag: [tags.propertyName, tags.definition(tags.propertyName)], color: 'var(--rain)' },
  { tag: [tags.string, tags.special(tags.string)], color: 'var(--moss)' },
  { tag: [tags.number, tags.bool, tags.null, tags.keyword, tags.atom], color: 'var(--ochre)' },
  { tag: [tags.comment, tags.meta, tags.punctuation, tags.separator], color: 'var(--pencil)' },
  { tag: [tags.labelName, tags.typeName], color: 'var(--rust)' },
  { tag: tags.invalid, color: 'var(--rust)', textDecoration: 'underline' },
]);

/** How every code editor of the house looks, and what it is called for those who hear it. */
export const codeLook = (format: 'json' | 'yaml' | readonly Extension[], label: string): Extension[] => [
  format === 'json' ? json() : format === 'yaml' ? yaml() : [...format],
  PAPER,
  syntaxHighlighting(INK),
  EditorView.contentAttributes.of({ 'aria-label': label, tabindex: '0' }),
];
