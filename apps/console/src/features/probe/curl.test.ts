import { execFileSync } from 'node:child_process';
import { curlLine, readHeaders } from './curl';
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
      'Authorization: Bearer t0',
      '--data-binary',
      form.body,
    ]);
  });

  test('never holds the token', () => expect(curlLine(form, 'http://h')).not.toContain('secret'));
  test('has no credential for nobody', () => expect(curlLine({ ...form, sender: 'nobody' }, 'http://h')).not.toContain('Authorization'));
});

test('a line that is no header is named', () => {
  expect(readHeaders(' a: b \n\n c:d')).toEqual([
    { name: 'a', value: 'b' },
    { name: 'c', value: 'd' },
  ]);
  expect(() => readHeaders('nonsense')).toThrow(/“nonsense” is not a header/);
});
