import { readIp } from '../address/ip.js';
import { NOTHING, spansOf, wordsOf, type Detector } from './detector.js';

/** Names whose values look like addresses and are none. */
const VERSION_WORDS = new Set(['version', 'release', 'build', 'oid']);

const IP: Detector = {
  id: 'ip-address',
  name: 'IP address',
  group: 'network',
  verifies: 'read as an address by RFC 4291 section 2.2 or as four numbers; not in members named version',
  find: (text, member) => {
    const colons = text.includes(':');
    if ((!colons && !text.includes('.')) || wordsOf(member).some((word) => VERSION_WORDS.has(word))) return NOTHING;
    const four = spansOf(text, /(?<![\w.:-])(?:\d{1,3}\.){3}\d{1,3}(?![\w:-]|\.\d)/g, (found) => readIp(found) !== null);
    if (!colons) return four;
    const six = spansOf(
      text,
      /(?<![\w.:])[0-9A-Fa-f:]{2,39}(?:(?<=:)(?:\d{1,3}\.){3}\d{1,3})?(?![\w.:])/g,
      (found) => (found.match(/:/g)?.length ?? 0) >= 2 && /[0-9a-f]/i.test(found) && readIp(found) !== null,
    );
    return [...four, ...six.filter(({ from, to }) => !four.some((one) => one.from >= from && one.to <= to))];
  },
  mask: (text) => text.replace(/[0-9A-Fa-f]+/g, (run, at: number) => (at === 0 ? run : '*'.repeat(run.length))),
};

export const NETWORK_DETECTORS: readonly Detector[] = [IP];
