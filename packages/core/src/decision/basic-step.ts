import { judgeHolder } from '../credential/judge-holder.js';
import type { Holder } from '../directory/facts.js';
import { readBasic } from '../credential/read-basic.js';
import { shorten } from '../token/verify-token.js';
import { finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Ports } from './ports.js';

const NOT_SENT = finding('basic.not-sent', {});
/** Compared with where there is no such name, so that it takes as long as a wrong secret. */
const NOBODY = 'A'.repeat(43);

/** Compiles the step that proves a name and its secret (RFC 7617). In the open they are refused, right or wrong. */
export function compileBasicStep({ directory, digest, now }: Ports): Check {
  return {
    step: 'basic',
    about: 'basic',
    run: (exchange) => {
      const sent = exchange.sent.find(({ kind }) => kind === 'basic');
      if (!sent) return NOT_SENT;
      if (isOpen(exchange.origin)) return finding('basic.plain-http', { origin: shorten(exchange.origin) });
      const read = readBasic(sent.text);
      if ('reason' in read) return finding('basic.malformed', { reason: read.reason });
      const [first, ...others] = directory().secretsOf(read.name);
      const sentDigest = digest(read.secret);
      if (!first) {
        isSame(sentDigest, NOBODY);
        return finding('basic.unknown', { name: shorten(read.name, 80) });
      }
      let holder: Holder | null = null;
      for (const one of [first, ...others]) if (isSame(sentDigest, one.credential.digest ?? '')) holder = one;
      if (holder === null) return finding('basic.wrong', { client: first.client.name, name: first.credential.name });
      const wrong = judgeHolder('basic', holder, now());
      if (wrong) return wrong;
      exchange.proved({ kind: 'basic', holder });
      return finding('basic.known', { client: holder.client.name, name: holder.credential.name });
    },
  };
}

/** Whether what travels to an address can be read on the way. Loopback goes over no wire; an address that cannot be read does. */
function isOpen(origin: string): boolean {
  if (!URL.canParse(origin)) return true;
  const { protocol, hostname } = new URL(origin);
  return protocol !== 'https:' && !/^(?:127(?:\.\d{1,3}){3}|\[::1\]|localhost)$/.test(hostname);
}

/** Compares two digests in a time that does not depend on where they differ. */
function isSame(one: string, other: string): boolean {
  let difference = one.length ^ other.length;
  for (let index = 0; index < one.length; index++) difference |= one.charCodeAt(index) ^ other.charCodeAt(index % other.length);
  return difference === 0;
}
