import { createHmac } from 'node:crypto';
import { markedCaller } from '../src/probe/marked-caller.js';

const TOKEN = 'the token of the nodes';
const NOW = 1_800_000_000_000;

function marked(address: string, { at = String(NOW), nonce = 'n', token = TOKEN, purpose = 'caller' } = {}): string {
  const said = `${at}~${nonce}~${address}`;
  return `${said}~${createHmac('sha256', token).update(`${purpose} ${said}`).digest('base64url')}`;
}

test.each(['203.0.113.9', '2001:db8::7', '::1', '::ffff:203.0.113.9', '127.0.0.1'])('%s is believed with its MAC', (address) => {
  expect(markedCaller(marked(address), TOKEN, NOW)).toBe(address);
});

test('for a minute, and as much before it: clocks differ', () => {
  for (const offset of [-60_000, -1, 0, 1, 60_000]) expect(markedCaller(marked('203.0.113.9'), TOKEN, NOW + offset)).toBe('203.0.113.9');
  for (const offset of [-60_001, 60_001, 86_400_000]) expect(markedCaller(marked('203.0.113.9'), TOKEN, NOW + offset)).toBe('');
});

test.each([
  ['another token', marked('203.0.113.9', { token: 'another' })],
  ['an empty token', marked('203.0.113.9', { token: '' })],
  ['another purpose', marked('203.0.113.9', { purpose: 'probe' })],
  ['no address', marked('')],
  ['a name', marked('localhost')],
  ['a network', marked('203.0.113.0/24')],
  ['two addresses', marked('203.0.113.9, 127.0.0.1')],
  ['a time that is none', marked('203.0.113.9', { at: 'now' })],
  ['a time that is empty', marked('203.0.113.9', { at: '' })],
  ['a time without end', marked('203.0.113.9', { at: 'Infinity' })],
  ['a MAC that is cut', marked('203.0.113.9').slice(0, -1)],
  ['a MAC with more behind it', `${marked('203.0.113.9')}~x`],
  ['a MAC of another address', marked('203.0.113.9').replace('203.0.113.9', '127.0.0.1')],
  ['a MAC of another time', marked('203.0.113.9').replace(String(NOW), String(NOW + 1))],
  ['nothing', ''],
  ['separators alone', '~~~'],
  ['an address alone', '203.0.113.9'],
  ['a blank in front', ` ${marked('203.0.113.9')}`],
])('%s is from nowhere', (_, mark) => {
  expect(markedCaller(mark, TOKEN, NOW)).toBe('');
});
