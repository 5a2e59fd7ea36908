/** Cuts a source where `&&` stands outside brackets and quotes; whole when a `||` or `?` stands there too. */
export function cutAtAnd(source: string): { readonly source: string; readonly at: number }[] {
  const parts: { source: string; at: number }[] = [];
  let depth = 0;
  let from = 0;
  const end = (to: number): void => {
    const text = source.slice(from, to);
    parts.push({ source: text.trim(), at: from + (text.length - text.trimStart().length) });
  };
  const sign = /[rRbB]{0,2}(?:"""[^]*?"""|'''[^]*?'''|"(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')|\/\/[^\n]*|[([{]|[)\]}]|&&|\|\||\?/g;
  for (const found of source.matchAll(sign)) {
    const [text] = found;
    if (/^[([{]$/.test(text)) depth++;
    else if (/^[)\]}]$/.test(text)) depth--;
    else if (depth === 0 && (text === '||' || text === '?')) return [{ source: source.trim(), at: 0 }];
    else if (depth === 0 && text === '&&') {
      end(found.index);
      from = found.index + 2;
    }
  }
  end(source.length);
  return parts;
}
