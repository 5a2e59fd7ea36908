import { AUTHORIZER_BOUNDS, type ServiceSource } from '../document/authorizer-rule.js';
import { isRecord, valueAt } from '../util/json-pointer.js';
import { NO_TEXT, readTypedJson } from '../util/read-json.js';
import type { AuthorizerAnswer } from './read-answer.js';

/**
 * Reads the answer of an access evaluation (OpenID AuthZEN Authorization API 1.0, from memory): `decision` is true or false, and
 * nothing else counts as either, nor what stands twice. A status other than 200 is about the gateway's own question, never about the caller.
 * @param text null for bytes that are no UTF-8
 * @returns the answer, or what is wrong with it
 */
export function readDecision(
  status: number,
  text: string | null,
  { url, signIn }: Pick<ServiceSource, 'url' | 'signIn'>,
): AuthorizerAnswer | { readonly unavailable: string } | string {
  if (status !== 200) return { unavailable: `${url} answered ${status}` };
  const read = text === null ? NO_TEXT : readTypedJson(text);
  if (read.kind === 'fault') return `it answered with ${read.says}`;
  const { value } = read;
  if (!isRecord(value) || typeof value['decision'] !== 'boolean') return 'decision is true or false';
  const allowed = value['decision'];
  const again = !allowed && signIn !== null && valueAt(value, signIn.pointer) === signIn.value;
  return {
    says: allowed ? 'allow' : again ? 'sign-in' : 'deny',
    reason: reasonOf(value['context']).slice(0, AUTHORIZER_BOUNDS.reason),
    tell: false,
    headers: {},
    covers: [],
    seconds: null,
  };
}

/** The reason for operators, as the examples of the text have it; empty where there is none. */
function reasonOf(context: unknown): string {
  if (!isRecord(context)) return '';
  for (const name of ['reason_admin', 'reason_user', 'reason']) {
    const reason = context[name];
    const texts = typeof reason === 'string' ? [reason] : isRecord(reason) ? Object.values(reason).filter((item) => typeof item === 'string') : [];
    if (texts.length > 0) return texts.join('; ');
  }
  return '';
}
