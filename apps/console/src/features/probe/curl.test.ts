import { execFileSync } from 'node:child_process';
import { curlLine, goesAsJson, sentHeaders } from './curl';
import type { ProbeForm } from './probe-state';

const form: ProbeForm = {
  method: 'POST',
  target: "/a?b='c'",
  sender: 'token',
  against: 'live',
  forward: false,
  headers: 'x-a: it’s\naccept: */*',
  body: `{"a":"it's $HOME \`id\`"}`,
  token: 'secret',
  personaId: '',
  from: '',
  proof: 'access-token',
};

describe('the curl line', () => {
  test('survives a shell, whatever was typed', () => {
    const line = curlLine(form, 'http://127.0.0.1:1').replace(/^curl/, 'printf "%s\\n"');
    const words = execFileSync('sh', ['-c', line], { env: { TOKEN: 't0' } })
      .toString()
      .trimEnd()
      .split('\n');
    expect(words).toEqual([
      '-i',
      '--path-as-is',
      '-X',
      'POST',
      "http://127.0.0.1:1/a?b='c'",
      '-H',
      'x-a: it’s',
      '-H',
      'accept: */*',
      '-H',
      'content-type: application/json',
      '-H',
      'Authorization: Bearer t0',
      '--data-binary',
      form.body,
    ]);
  });

  test('never holds the token', () => expect(curlLine(form, 'http://h')).not.toContain('secret'));
  test('has no credential for nobody', () => expect(curlLine({ ...form, sender: 'nobody' }, 'http://h')).not.toContain('Authorization'));
});

test('a line that is no header is named', () => {
  expect(sentHeaders({ headers: ' a: b \n\n c:d', body: '' })).toEqual([
    { name: 'a', value: 'b' },
    { name: 'c', value: 'd' },
  ]);
  expect(() => sentHeaders({ headers: 'nonsense', body: '' })).toThrow(/“nonsense” is not a header/);
});

test('a body of JSON goes as JSON, unless its type is said or left empty', () => {
  expect(['{"a":1}', ' [1]', '{"a":', 'a=1', '', '"text"', '{} {}'].map((body) => goesAsJson({ headers: '', body }))).toEqual([
    true,
    true,
    false,
    false,
    false,
    false,
    false,
  ]);
  for (const headers of ['content-type: text/plain', 'a: b\n Content-Type :', 'CONTENT-TYPE:x']) expect(goesAsJson({ headers, body: '{}' })).toBe(false);
  expect(sentHeaders({ headers: 'content-type:', body: '{}' })).toEqual([{ name: 'content-type', value: '' }]);
});
