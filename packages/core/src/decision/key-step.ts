import { judgeHolder } from '../credential/judge-holder.js';
import { keyForm } from '../credential/key-form.js';
import { placeWords } from '../credential/find-place.js';
import type { SentCredential } from '../credential/sent-credential.js';
import type { TokenPlace } from '../document/token-rule.js';
import { finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Ports } from './ports.js';

const FORMS = {
  key: 'it has the form of a key that was made here',
  damaged: 'it begins like a key that was made here, but was cut off, lengthened or mistyped',
  other: 'it has not the form of a key that was made here',
} as const;

/** A security scheme of type apiKey: its name, and where its key travels. */
export interface KeyScheme {
  readonly scheme: string;
  readonly place: TokenPlace;
}

/** Compiles the step that proves the key of one security scheme: whose it is, and whether it is still good. */
export function compileKeyStep({ scheme, place }: KeyScheme, { directory, digest, now }: Ports): Check {
  const words = placeWords(place);
  const notSent = finding('key.not-sent', { place: words });
  return {
    step: 'key',
    about: 'key',
    run: (exchange) => {
      const sent = sentFor(exchange.sent, scheme);
      if (sent === null) return notSent;
      // Found by its digest, so that the time this takes says nothing about keys that there are.
      const { memory } = exchange;
      const holder = directory().find('key', memory === null ? digest(sent.text) : memory.keys.of(sent.text, digest));
      const wrong = holder && judgeHolder('key', holder, now());
      if (holder === null || wrong !== null) {
        // Looked at whatever is wrong, so that what is refused takes the same time.
        const form = FORMS[keyForm(sent.text)];
        return wrong ?? finding('key.unknown', { place: words, form });
      }
      exchange.proved({ kind: 'key', scheme, holder });
      return finding('key.known', { client: holder.client.name, name: holder.credential.name, place: words });
    },
  };
}

function sentFor(all: readonly SentCredential[], scheme: string): SentCredential | null {
  for (const one of all) if (one.kind === 'key' && one.scheme === scheme) return one;
  return null;
}
