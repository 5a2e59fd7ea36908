import { wordLength, type ConditionFault } from './condition-fault.js';

interface Token {
  readonly kind: 'value' | 'operator' | 'open' | 'close' | 'dot' | 'comma' | 'unended' | 'other';
  readonly text: string;
  readonly at: number;
}

const TOKEN =
  /\s+|\/\/[^\n]*|(?<value>[rRbB]{0,2}(?:"""[^]*?"""|'''[^]*?'''|"(?:[^"\\\n]|\\.)*"|'(?:[^'\\\n]|\\.)*')|\d+\.\d+(?:[eE][+-]?\d+)?|0[xX][0-9a-fA-F]+u?|\d+u?|[A-Za-z_]\w*)|(?<unended>["'])|(?<operator>&&|\|\||[<>=!]=|[<>+\-*/%!?:])|(?<open>[([{])|(?<close>[)\]}])|(?<dot>\.)|(?<comma>,)|(?<other>[^])/y;

const PAIRS: Readonly<Record<string, string>> = { ')': '(', ']': '[', '}': '{' };
/** May stand in front of a value, so behind another operator. */
const PREFIXES: ReadonlySet<string> = new Set(['!', '-']);

/**
 * Where a text that is no condition goes wrong. The parser goes back to where it last had a choice, which is often far in
 * front of the slip; this reads on from token to token. @returns null where no single place can be blamed
 */
export function findSyntaxFault(source: string): ConditionFault | null {
  const tokens = tokensOf(source);
  const fault = (token: Token, says: string): ConditionFault => ({ at: token.at, length: wordLength(source, token.at), says });
  const open: Token[] = [];
  let before: Token | null = null;
  for (const token of tokens) {
    if (token.kind === 'unended') return fault(token, 'this text has no end quote');
    if (token.kind === 'other') return fault(token, `${token.text} has no meaning here${token.text === '=' ? '; write == to compare' : ''}`);
    const afterValue = before?.kind === 'value' || before?.kind === 'close';
    if (token.kind === 'value' && afterValue && !(token.text === 'in' || before?.text === 'in'))
      return fault(token, `an operator is missing in front of ${token.text}`);
    const wantsValue = (token.kind === 'operator' && !PREFIXES.has(token.text)) || token.kind === 'comma' || token.kind === 'close';
    if (wantsValue && before && (before.kind === 'operator' || (before.kind === 'comma' && token.kind !== 'close') || before.kind === 'dot'))
      return fault(token, `a value is missing between ${before.text} and ${token.text}`);
    if (token.kind === 'operator' && !PREFIXES.has(token.text) && (before === null || before.kind === 'open'))
      return fault(token, `a value is missing in front of ${token.text}`);
    if (token.kind === 'open') open.push(token);
    if (token.kind === 'close') {
      const opened = open.pop();
      if (!opened || opened.text !== PAIRS[token.text]) return fault(token, `this ${token.text} closes nothing`);
    }
    before = token;
  }
  if (before === null) return { at: 0, length: 0, says: 'a condition says something; this is empty' };
  if (before.kind === 'operator' || before.kind === 'dot' || before.kind === 'comma')
    return { at: source.length, length: 0, says: `a ${before.kind === 'dot' ? 'name' : 'value'} is missing behind ${before.text}` };
  const unclosed = open.pop();
  return unclosed ? fault(unclosed, `this ${unclosed.text} is not closed`) : null;
}

function tokensOf(source: string): Token[] {
  const tokens: Token[] = [];
  TOKEN.lastIndex = 0;
  for (let at = 0; at < source.length; at = TOKEN.lastIndex) {
    const found = TOKEN.exec(source);
    if (!found) break;
    for (const [kind, text] of Object.entries(found.groups ?? {})) if (text !== undefined) tokens.push({ kind: kind as Token['kind'], text, at });
  }
  return tokens;
}
