import type { SensitiveRule, SensitiveUse } from '../document/sensitive-rule.js';
import type { CheckMode, ModeRule } from '../document/modes.js';
import { mediaTypeOf } from '../message/media-type.js';
import type { Detector, DetectorGroup } from '../sensitive/detector.js';
import { isExpectedHeader } from '../sensitive/expected-headers.js';
import { scanPairs, scanPath } from '../sensitive/scan-head.js';
import { scanForm, scanJsonText, scanText, type Hit, type Scanned } from '../sensitive/scan.js';
import { isOtherType, textOfBody, unescapedMarkup, unescapedPart } from '../sensitive/text-of-body.js';
import { ownMember } from '../util/own-member.js';
import { finding, type Finding } from '../verdict/codes.js';
import { queryPairs } from '../contract/check/parameter-style.js';
import type { CompiledStep } from './compiled.js';
import type { BodyContent, Exchange, SeenAnswer } from './exchange.js';
import type { BodyNeed } from './phases.js';

/** The checks that keep sensitive data from passing, phase by phase. What is only told of is not here: that keeps nobody waiting. */
export interface CompiledSensitive {
  readonly head: readonly CompiledStep[];
  readonly requestContent: readonly CompiledStep[];
  readonly answerHead: readonly CompiledStep[];
  readonly answerContent: readonly CompiledStep[];
  readonly needs: { readonly requestContent: BodyNeed | null; readonly answerContent: BodyNeed | null };
}

const NOTHING: CompiledSensitive = Object.freeze({
  head: [],
  requestContent: [],
  answerHead: [],
  answerContent: [],
  needs: { requestContent: null, answerContent: null },
});

const NONE = finding('sensitive.none', {});
const NONE_IN_BODY = finding('sensitive-body.none', {});
const NONE_IN_FIELDS = finding('sensitive-fields.none', {});
const NONE_IN_ANSWER = finding('sensitive-answer.none', {});

/** So many places are named. */
const MOST_PLACES = 10;

/** Compiles the checks of an operation. @param find a detector by its id */
export function compileSensitive(rule: SensitiveRule, modes: ModeRule, find: (id: string) => Detector): CompiledSensitive {
  const detectors = (wanted: (use: SensitiveUse) => boolean): readonly Detector[] => rule.uses.filter(wanted).map(({ detector }) => find(detector));
  const refusedUp = detectors(({ request }) => request === 'refuse');
  const refusedBack = detectors(({ answer }) => answer === 'refuse');
  const maskedBack = detectors(({ answer }) => answer === 'mask');
  if (refusedUp.length + refusedBack.length + maskedBack.length === 0) return NOTHING;
  const mode: CheckMode = modes.all;
  const step = (name: 'sensitive' | 'sensitive-body' | 'sensitive-fields' | 'sensitive-answer', run: CompiledStep['run']): CompiledStep => ({
    step: name,
    about: null,
    mode,
    run,
    hangsOn: { kind: 'sensitive' },
  });
  const need: BodyNeed = { limit: rule.bodyBytes, hold: mode === 'enforce', larger: rule.largerBody };
  const up = refusedUp.length > 0;
  const back = refusedBack.length + maskedBack.length > 0;
  return {
    head: up ? [step('sensitive', (exchange) => lookAtHead(exchange, refusedUp))] : [],
    requestContent: up ? [step('sensitive-body', (exchange) => lookAtBody(exchange, refusedUp))] : [],
    answerHead: back ? [step('sensitive-fields', (exchange) => lookAtFields(exchange, refusedBack, maskedBack, mode))] : [],
    answerContent: back ? [step('sensitive-answer', (exchange) => lookAtAnswer(exchange, refusedBack, maskedBack, mode))] : [],
    needs: { requestContent: up ? need : null, answerContent: back ? { ...need, everyText: true } : null },
  };
}

function foundOf(hits: readonly Hit[]): { readonly kinds: readonly string[]; readonly places: readonly string[]; readonly count: number } {
  return {
    kinds: [...new Set(hits.map(({ detector }) => detector.name))],
    places: [...new Set(hits.map(({ at }) => at || 'the whole'))].slice(0, MOST_PLACES).map((place) => place.slice(0, 200)),
    count: hits.length,
  };
}

function lookAtHead(exchange: Exchange, detectors: readonly Detector[]): Finding {
  const pairs = exchange.query === '' ? [] : queryPairs(exchange.query);
  const hits: Hit[] = [
    ...scanPath(exchange.below, detectors),
    ...scanPairs(
      pairs.map(([name, value]) => [unescapedPart(name), unescapedPart(value)] as const),
      detectors,
    ),
  ];
  for (const [name, value] of Object.entries(exchange.headers)) {
    if (value === undefined || isExpectedHeader(name)) continue;
    hits.push(...scanText(typeof value === 'string' ? value : value.join(', '), detectors, name, name).hits);
  }
  return hits.length === 0 ? NONE : finding('sensitive.found', foundOf(hits));
}

/** A body as far as it was read: looked through, nothing there to look through, or not to be read. */
type Looked =
  { readonly kind: 'scanned'; readonly scanned: Scanned; readonly latin: boolean } | { readonly kind: 'unchecked' | 'unread'; readonly reason: string };

const SCANS = { json: scanJsonText, form: scanForm, text: scanText } as const;

function lookThrough(content: BodyContent | null, type: string | undefined, detectors: readonly Detector[]): Looked {
  const media = type === undefined ? null : mediaTypeOf(type);
  switch (content?.kind) {
    case 'bytes': {
      const text = textOfBody(content.bytes, media, type);
      if (text.kind === 'other') return { kind: 'unchecked', reason: text.says };
      if (text.kind === 'unread') return { kind: 'unread', reason: text.says };
      const scanned = SCANS[text.kind](text.text, detectors);
      if (scanned === null) return { kind: 'unread', reason: 'it is no JSON, though it says so' };
      // In place only what is written as it is can be masked.
      const plain = text.kind === 'text' && media !== null && /html|xml/.test(media) ? unescapedMarkup(text.text) : null;
      if (plain !== null && scanText(plain, detectors).count > scanned.count)
        return { kind: 'unread', reason: 'something is written in it by the numbers of its characters' };
      const latin = text.kind === 'text' && text.latin === true;
      return scanned.whole ? { kind: 'scanned', scanned, latin } : { kind: 'unread', reason: 'there is more in it than is looked through' };
    }
    case 'larger':
      return { kind: content.pass ? 'unchecked' : 'unread', reason: `it has more than ${content.limit} bytes` };
    case 'coded':
      return { kind: 'unread', reason: `its coding ${content.coding} is not read` };
    case 'no-room':
      return { kind: 'unread', reason: 'there was no room to hold it' };
    case 'unfinished': {
      const other = isOtherType(media);
      return { kind: other ? 'unchecked' : 'unread', reason: other ? `${media ?? ''} is no text` : 'its end did not come, or it is a stream' };
    }
    case undefined:
      throw new Error('invariant: the body that is looked through was held');
  }
}

function lookAtBody(exchange: Exchange, detectors: readonly Detector[]): Finding {
  const { body } = exchange;
  if (body === null) return NONE_IN_BODY;
  const looked = lookThrough(body.content, exchange.header('content-type'), detectors);
  if (looked.kind !== 'scanned') return finding(`sensitive-body.${looked.kind}`, { reason: looked.reason });
  const { hits } = looked.scanned;
  return hits.length === 0 ? NONE_IN_BODY : finding('sensitive-body.found', foundOf(hits));
}

/** Fields of an answer whose form is fixed: they say how and when it is sent. */
const OF_TRANSFER = new Set(['date', 'content-type', 'content-length', 'content-encoding', 'etag', 'last-modified', 'transfer-encoding', 'connection', 'age']);
const NOTHING_EXPECTED: ReadonlySet<DetectorGroup> = new Set();
/** What belongs in a field by what that is: sessions are credentials, and versions look like addresses. */
const EXPECTED_IN: Readonly<Record<string, ReadonlySet<DetectorGroup>>> = {
  'set-cookie': new Set(['credential']),
  server: new Set(['credential', 'network']),
};

/** The detectors that look at a field of an answer. */
function lookingAt(name: string, detectors: readonly Detector[]): readonly Detector[] {
  const expected = ownMember(EXPECTED_IN, name) ?? NOTHING_EXPECTED;
  return expected.size === 0 ? detectors : detectors.filter(({ group }) => !expected.has(group));
}

/** A field, as it is and with the escapes of addresses in it read: of the latter all is written anew where something stands in it. */
function scanField(text: string, detectors: readonly Detector[], name: string): Pick<Scanned, 'hits' | 'masked'> {
  const scanned = scanText(text, detectors, name, name);
  const plain = text.includes('%') ? unescapedPart(text) : text;
  if (scanned.masked !== null || plain === text) return scanned;
  const { hits, masked } = scanText(plain, detectors, name, name);
  return { hits, masked: masked === null ? null : encodeURI(masked) };
}

function lookAtFields({ answer }: Exchange, refused: readonly Detector[], masked: readonly Detector[], mode: CheckMode): Finding {
  const hits: Hit[] = [];
  const all = [...refused, ...masked];
  const fields: Record<string, string | readonly string[] | undefined> = {};
  for (const [name, value] of Object.entries(answer?.headers ?? {})) {
    fields[name] = value;
    if (value === undefined || OF_TRANSFER.has(name)) continue;
    const scanned = (typeof value === 'string' ? [value] : value).map((text) => ({ text, ...scanField(text, lookingAt(name, all), name) }));
    if (scanned.every((one) => one.masked === null)) continue;
    hits.push(...scanned.flatMap((one) => one.hits));
    const texts = scanned.map((one) => one.masked ?? one.text);
    fields[name] = typeof value === 'string' ? texts[0] : texts;
  }
  if (answer === null || hits.length === 0) return NONE_IN_FIELDS;
  const bad = hits.filter(({ detector }) => refused.includes(detector));
  if (bad.length > 0) return finding('sensitive-fields.found', foundOf(bad));
  if (mode !== 'enforce') return finding('sensitive-fields.only-observed', foundOf(hits));
  answer.fields = fields;
  return finding('sensitive-fields.masked', foundOf(hits));
}

function lookAtAnswer({ answer }: Exchange, refused: readonly Detector[], masked: readonly Detector[], mode: CheckMode): Finding {
  if (answer === null || answer.bodyless) return NONE_IN_ANSWER;
  const type = typeOf(answer);
  const looked = lookThrough(answer.content, type, [...refused, ...masked]);
  if (looked.kind !== 'scanned') return finding(`sensitive-answer.${looked.kind}`, { reason: looked.reason });
  const { hits, masked: text } = looked.scanned;
  if (hits.length === 0 || text === null) return NONE_IN_ANSWER;
  const bad = hits.filter(({ detector }) => refused.includes(detector));
  if (bad.length > 0) return finding('sensitive-answer.found', foundOf(bad));
  if (mode !== 'enforce') return finding('sensitive-answer.only-observed', foundOf(hits));
  answer.instead = looked.latin ? Uint8Array.from(text, (character) => character.charCodeAt(0)) : new TextEncoder().encode(text);
  return finding('sensitive-answer.masked', foundOf(hits));
}

function typeOf({ headers }: SeenAnswer): string | undefined {
  const value = headers['content-type'];
  return typeof value === 'string' || value === undefined ? value : value.join(', ');
}

/** What two checks of one body want together. */
export function joinNeeds(one: BodyNeed | null, other: BodyNeed | null): BodyNeed | null {
  if (one === null || other === null) return one ?? other;
  return {
    limit: Math.max(one.limit, other.limit),
    hold: one.hold || other.hold,
    larger: one.larger === 'refuse' || other.larger === 'refuse' ? 'refuse' : 'pass',
    everyText: (one.everyText ?? false) || (other.everyText ?? false),
  };
}
