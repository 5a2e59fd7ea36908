import { KEY_PREFIX, keyForm } from '../credential/key-form.js';
import { decodeBase64url, decodeUtf8, isCanonicalBase64url } from '../util/base64url.js';
import { isRecord } from '../util/json-pointer.js';
import { isSecretName } from '../util/secret-names.js';
import { NOTHING, spansOf, wordsOf, type Detector, type Span } from './detector.js';

const sized = (text: string): string => `${text.slice(0, 4)}*** (${text.length} characters)`;

function isJose(found: string): boolean {
  const head = found.slice(0, found.indexOf('.'));
  const text = isCanonicalBase64url(head) ? decodeUtf8(decodeBase64url(head)) : null;
  if (text === null) return false;
  try {
    const header: unknown = JSON.parse(text);
    return isRecord(header) && typeof header['alg'] === 'string';
  } catch {
    return false;
  }
}

const JWT: Detector = {
  id: 'jwt',
  name: 'Token (JWT)',
  group: 'credential',
  verifies: 'its first part is a JOSE header with an algorithm (RFC 7515 section 4.1.1)',
  find: (text) => (text.includes('eyJ') ? spansOf(text, /(?<![\w-])eyJ[\w-]{8,}(?:\.[\w-]*){2,4}/g, isJose) : NOTHING),
  mask: sized,
};

/** Names of members that hold a key by themselves; others that hold secrets are too many things. */
const isKeyName = (name: string): boolean => /api[-_.]?key|access[-_.]?key|client[-_.]?secret|secret[-_.]?key/i.test(name.slice(0, 100));

/** Long, of one run, with digits and letters: what is made by chance is so, and no word is. */
const isByChance = (text: string): boolean => /^[\w~+/=.-]{20,200}$/.test(text) && /\d/.test(text) && /[A-Za-z]/.test(text);

const whole = (text: string): readonly Span[] => [{ from: 0, to: text.length }];

const API_KEY: Detector = {
  id: 'api-key',
  name: 'API key',
  group: 'credential',
  verifies: 'keys made here by their checksum; others by the name of their member and by being made by chance',
  find: (text, member) => {
    if (text.includes(KEY_PREFIX)) {
      const ours = spansOf(text, /(?<![A-Za-z0-9])vrk_[A-Za-z0-9]{38}(?![A-Za-z0-9])/g, (found) => keyForm(found) === 'key');
      if (ours.length > 0) return ours;
    }
    return isKeyName(member) && isByChance(text) ? whole(text) : NOTHING;
  },
  mask: sized,
};

const PRIVATE_KEY: Detector = {
  id: 'private-key',
  name: 'Private key',
  group: 'credential',
  verifies: 'a PEM label of RFC 7468 section 10, or the private members of a JSON Web Key (RFC 7518 sections 6.2.2, 6.3.2 and 6.4.1)',
  find: (text, member) => {
    const begins = text.indexOf('-----BEGIN ');
    if (begins >= 0)
      return spansOf(text, /-----BEGIN (?:[A-Z0-9]{1,20} ){0,3}PRIVATE KEY-----[^-]*(?:-----END (?:[A-Z0-9]{1,20} ){0,3}PRIVATE KEY-----)?/g, () => true);
    // The scan of a body says so of members of a key.
    return member === PRIVATE_MEMBER ? whole(text) : NOTHING;
  },
  mask: (text) => `*** (${text.length} characters)`,
};

/** Stands for the name of a member that is a private part of a JSON Web Key. No member is called so. */
export const PRIVATE_MEMBER = '\u0000private';

/** Members of a JSON Web Key of a type that only its holder may know. */
export const isPrivateMember = (type: string, member: string): boolean =>
  type === 'oct' ? member === 'k' : (type === 'RSA' || type === 'EC' || type === 'OKP') && member === 'd';

const PASSWORD_WORDS = new Set(['password', 'passwd', 'pwd', 'passphrase', 'passcode', 'passwort', 'pin', 'otp', 'secret']);

const PASSWORD: Detector = {
  id: 'password',
  name: 'Password',
  group: 'credential',
  verifies: 'a text in a member that is named so, neither empty nor masked already',
  find: (text, member) => {
    if (text === '' || member === '' || /^(?:[*•.x]+|<?(?:redacted|removed|masked|hidden)>?|true|false|null)$/i.test(text.slice(0, 50))) return NOTHING;
    return isSecretName(member) && wordsOf(member).some((word) => PASSWORD_WORDS.has(word)) ? whole(text) : NOTHING;
  },
  mask: (text) => `*** (${text.length} characters)`,
};

export const CREDENTIAL_DETECTORS: readonly Detector[] = [JWT, API_KEY, PRIVATE_KEY, PASSWORD];
