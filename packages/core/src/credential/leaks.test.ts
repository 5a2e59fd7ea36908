import { createHash } from 'node:crypto';
import { findLeaked } from './find-leaked.js';
import { keyForm, writeKey } from './key-form.js';
import { faultOfBroughtKey } from './key-strength.js';

/** Bytes that are the same in every run. */
const bytesOf = (seed: number): Buffer => Buffer.concat([0, 1, 2].map((part) => createHash('sha256').update(`${seed} ${part}`).digest()));
const ALPHABET = '0123456789ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz';

describe('keys in a text', () => {
  it('are found wherever they stand, each once', () => {
    const [one, other] = [writeKey(bytesOf(1)), writeKey(bytesOf(2))];
    const text = `{"k":"${one}"}\nx-api-key: ${other}\ncurl 'https://a.example/?key=${one}&x=1' <b>${other}</b>`;
    expect(findLeaked(text)).toMatchObject({ keys: [one, other], lookAlikes: 0, cut: false });
  });

  it('of 20,000 random strings of the same form none is taken for a key', () => {
    const texts = Array.from({ length: 20_000 }, (_, index) => {
      const [bytes] = [bytesOf(index)];
      return `vrk_${[...bytes.subarray(0, 38)].map((byte) => ALPHABET[byte % 62]).join('')}`;
    });
    const { keys, lookAlikes } = findLeaked(texts.join('\n'));
    expect([keys, lookAlikes]).toEqual([[], 20_000]);
  });

  it('with any one character changed, left out or doubled are none', () => {
    const key = writeKey(bytesOf(3));
    // With its first character doubled the whole key stands behind that.
    for (let at = 1; at < key.length; at++) {
      const other = key[at] === '7' ? '8' : '7';
      for (const changed of [key.slice(0, at) + other + key.slice(at + 1), key.slice(0, at) + key.slice(at + 1), key.slice(0, at + 1) + key.slice(at)])
        expect([changed, keyForm(changed) === 'key' || findLeaked(changed).keys.length > 0]).toEqual([changed, false]);
    }
  });

  it('stay found in texts that are made to take long', () => {
    const key = writeKey(bytesOf(4));
    for (const filler of ['vrk_'.repeat(900_000), 'basic '.repeat(600_000), 'a'.repeat(3_900_000), '='.repeat(3_900_000)]) {
      const from = Date.now();
      expect(findLeaked(`${key}\n${filler}`).keys).toContain(key);
      expect(Date.now() - from).toBeLessThan(10_000);
    }
  });
});

describe('a key that is brought along', () => {
  it.each<[string, string]>([
    ['a UUID by chance', 'c1b7f2de-7a53-4f0e-9d61-5e0a83b4c97f'],
    ['32 hexadecimal digits', '9f86d081884c7d659a2feaa0c55ad015'],
    ['27 characters of base64url', 'q7Jw-93kfLs0_PzaUe2vRb8tYx4'],
  ])('is strong enough: %s', (_name, key) => expect(faultOfBroughtKey(key)).toBeNull());

  it.each<[string, string]>([
    ['nothing', ''],
    ['short', 'q7Jw-93kfLs0_PzaUe2'],
    ['one character', 'a'.repeat(40)],
    ['a repetition', 'q7Jw93'.repeat(6)],
    ['a row', 'abcdefghijklmnopqrstuvwxyz'],
    ['digits of few kinds', '1212121221212121212212121'],
    ['white space', 'q7Jw-93kfLs0 PzaUe2vRb8tYx4'],
    ['a comma', 'q7Jw-93kfLs0,PzaUe2vRb8tYx4'],
    ['what is no ASCII', 'q7Jw-93kfLs0üPzaUe2vRb8tYx4'],
    ['a key of ours that was cut', writeKey(bytesOf(5)).slice(0, -1)],
    ['too long', bytesOf(6).toString('hex').repeat(3)],
  ])('is not taken: %s', (_name, key) => expect(faultOfBroughtKey(key)).not.toBeNull());
});
