import { BODY_BYTES, type HeaderEdit, type HeaderLanes, type MessageOverride } from '../document/message-rule.js';
import { isMediaRange } from '../message/media-type.js';
import { foldName } from '../message/field-spelling.js';
import { fail, within } from './check-values.js';

const NAME = /^[!#$%&'*+\-.^_`|~0-9a-z]+$/;
/** What a field may hold: visible characters, blanks and tabs, none of them at an end (RFC 9110 section 5.5). */
const VALUE = /^(?:[\x21-\x7e](?:[\t\x20-\x7e]*[\x21-\x7e])?)?$/;
/** Fields by which messages are framed and routed, or that the gateway writes itself: changing them would break what was checked. */
const OWN: ReadonlySet<string> = new Set([
  'host',
  'connection',
  'content-length',
  'transfer-encoding',
  'te',
  'trailer',
  'upgrade',
  'keep-alive',
  'proxy-connection',
  'expect',
  'forwarded',
  'x-forwarded-for',
  'x-forwarded-proto',
  'x-forwarded-host',
  'x-request-id',
  'traceparent',
]);
/** Changes in one lane at most. */
const MAX_EDITS = 50;

/** Checks what bodies may be. @throws ConfigError */
export function checkMessage({ requestBytes, contentTypes, answerBytes }: MessageOverride, at: string): void {
  for (const [name, bytes] of Object.entries({ requestBytes, answerBytes })) if (typeof bytes === 'number') within(bytes, ...BODY_BYTES, `${at}/${name}`);
  if (contentTypes === undefined || contentTypes === 'ANY_TYPE') return;
  if (contentTypes.length === 0) fail(`${at}/contentTypes`, 'name a content type, or say ANY_TYPE');
  contentTypes.forEach((range, index) => {
    if (!isMediaRange(range))
      fail(`${at}/contentTypes/${index}`, `${range.slice(0, 100)} is no media type: write it as application/json, or image/* for a family`);
  });
}

/** Checks changes of header fields. @throws ConfigError */
export function checkLanes({ up, back }: HeaderLanes, at: string): void {
  checkLane(up, `${at}/up`);
  checkLane(back, `${at}/back`);
}

/** Checks the name of a header field that a rule writes. @throws ConfigError */
export function checkFieldName(name: string, at: string): void {
  if (!NAME.test(name)) fail(at, 'a header name has small letters, digits and dashes');
  if (OWN.has(foldName(name))) fail(at, `the header ${name} is written by the gateway alone`);
}

function checkLane(edits: readonly HeaderEdit[], at: string): void {
  if (edits.length > MAX_EDITS) fail(at, `at most ${MAX_EDITS} changes are made in one lane`);
  edits.forEach((edit, index) => {
    checkFieldName(edit.name, `${at}/${index}/name`);
    if (edit.action !== 'remove' && edit.value.kind === 'text' && !VALUE.test(edit.value.text))
      fail(`${at}/${index}/value/text`, 'a header value is one line of ASCII, with no blank at its ends');
  });
}
