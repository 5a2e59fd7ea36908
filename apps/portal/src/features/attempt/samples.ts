import type { Composed } from './compose';

/** A word that stands for a secret in a sample: a reader's own program has it in its environment. */
export const SECRETS = { token: 'API_TOKEN', key: 'API_KEY', basic: 'API_BASIC' } as const;
const SECRET = /%24%7B(API_(?:TOKEN|KEY|BASIC))%7D|\$\{(API_(?:TOKEN|KEY|BASIC))\}/;

export const secretWord = (kind: keyof typeof SECRETS): string => `\${${SECRETS[kind]}}`;

/** A text in parts: as it stands, and names of secrets. */
function parts(text: string): readonly (string | { readonly secret: string })[] {
  const found = SECRET.exec(text);
  if (!found) return text === '' ? [] : [text];
  const before = text.slice(0, found.index);
  return [...(before === '' ? [] : [before]), { secret: found[1] ?? found[2] ?? '' }, ...parts(text.slice(found.index + found[0].length))];
}

type Literal = (text: string) => string;

/** An expression of a language that is a text with secrets in it. */
function expression(text: string, literal: Literal, secret: (name: string) => string, join: string): string {
  const all = parts(text).map((part) => (typeof part === 'string' ? literal(part) : secret(part.secret)));
  return all.length === 0 ? literal('') : all.join(join);
}

/** A text as JSON writes it, which JavaScript, Python and Go read alike; characters that one of them would not are escaped. */
const quoted: Literal = (text) =>
  JSON.stringify(text).replace(/[\u007f-\uffff]/g, (character) => `\\u${character.charCodeAt(0).toString(16).padStart(4, '0')}`);
/** Go knows no halves of a pair and reads UTF-8 as it stands. */
const goQuoted: Literal = (text) => JSON.stringify(new TextDecoder().decode(new TextEncoder().encode(text)));

/** One argument of a POSIX shell. */
const shellWord = (text: string): string => {
  const all = parts(text).map((part) => (typeof part === 'string' ? `'${part.replaceAll("'", "'\\''")}'` : `"$${part.secret}"`));
  return all.length === 0 ? "''" : all.join('');
};

function curl(address: string, { method, target, headers, body }: Composed): string {
  const lines = [
    `curl ${method === 'GET' ? '' : `-X ${method} `}${shellWord(address + target)}`,
    ...headers.map(([name, value]) => `-H ${shellWord(`${name}: ${value}`)}`),
    ...(body === null ? [] : [`--data-binary ${shellWord(body)}`]),
  ];
  return lines.join(' \\\n  ');
}

function javascript(address: string, { method, target, headers, body }: Composed): string {
  const of = (text: string): string => expression(text, quoted, (name) => `process.env.${name}`, ' + ');
  return [
    `const answer = await fetch(${of(address + target)}, {`,
    `  method: ${quoted(method)},`,
    ...(headers.length === 0 ? [] : ['  headers: {', ...headers.map(([name, value]) => `    ${quoted(name)}: ${of(value)},`), '  },']),
    ...(body === null ? [] : [`  body: ${of(body)},`]),
    '});',
    'console.log(answer.status, await answer.text());',
  ].join('\n');
}

function python(address: string, { method, target, headers, body }: Composed): string {
  const of = (text: string): string => expression(text, quoted, (name) => `os.environ[${quoted(name)}]`, ' + ');
  return [
    'import os',
    'from urllib.error import HTTPError',
    'from urllib.request import Request, urlopen',
    '',
    'request = Request(',
    `    ${of(address + target)},`,
    `    method=${quoted(method)},`,
    ...(headers.length === 0 ? [] : ['    headers={', ...headers.map(([name, value]) => `        ${quoted(name)}: ${of(value)},`), '    },']),
    ...(body === null ? [] : [`    data=(${of(body)}).encode("utf-8"),`]),
    ')',
    'try:',
    '    answer = urlopen(request)',
    'except HTTPError as refused:',
    '    answer = refused',
    'print(answer.status, answer.read().decode("utf-8"))',
  ].join('\n');
}

function go(address: string, { method, target, headers, body }: Composed): string {
  const of = (text: string): string => expression(text, goQuoted, (name) => `os.Getenv(${goQuoted(name)})`, ' + ');
  const whole = [address + target, ...headers.map(([, value]) => value), body ?? ''].some((text) => SECRET.test(text));
  return [
    'package main',
    '',
    'import (',
    ...['\t"fmt"', '\t"io"', '\t"net/http"', ...(whole ? ['\t"os"'] : []), ...(body === null ? [] : ['\t"strings"'])],
    ')',
    '',
    'func main() {',
    `\trequest, err := http.NewRequest(${goQuoted(method)}, ${of(address + target)}, ${body === null ? 'nil' : `strings.NewReader(${of(body)})`})`,
    '\tif err != nil {',
    '\t\tpanic(err)',
    '\t}',
    ...headers.map(([name, value]) => `\trequest.Header.Set(${goQuoted(name)}, ${of(value)})`),
    '\tanswer, err := http.DefaultClient.Do(request)',
    '\tif err != nil {',
    '\t\tpanic(err)',
    '\t}',
    '\tdefer answer.Body.Close()',
    '\tbody, _ := io.ReadAll(answer.Body)',
    '\tfmt.Println(answer.StatusCode, string(body))',
    '}',
  ].join('\n');
}

/** The same call in several languages. @param address scheme, host and port of the gateway */
export const SAMPLES: readonly { readonly name: string; readonly of: (address: string, call: Composed) => string }[] = [
  { name: 'curl', of: curl },
  { name: 'fetch', of: javascript },
  { name: 'Python', of: python },
  { name: 'Go', of: go },
];
