import { modeOf, type ModedCheck, type ModeRule } from '../document/modes.js';
import type { HeaderLanes, MessageRule } from '../document/message-rule.js';
import { compileMediaRanges, mediaTypeOf } from '../message/media-type.js';
import { compileLane, laneFinding, type CompiledLane } from '../shape/header-lane.js';
import { shorten } from '../token/verify-token.js';
import { finding } from '../verdict/codes.js';
import { bytesOf } from './exchange.js';
import type { CompiledContract } from './contract-steps.js';
import { joinNeeds, type CompiledSensitive } from './sensitive-steps.js';
import type { Check, CompiledStep } from './compiled.js';
import type { LaterPhase, Needs } from './phases.js';

const NO_TYPE = finding('type.no-body', {});
const NO_SIZE = finding('size.no-body', {});

/** What an operation asks of bodies and does to headers, phase by phase. */
export interface CompiledMessage {
  readonly head: readonly CompiledStep[];
  readonly later: Readonly<Record<LaterPhase, readonly CompiledStep[] | null>>;
  readonly needs: Needs;
  readonly lanes: { readonly up: CompiledLane | null; readonly back: CompiledLane | null };
}

/**
 * Compiles the steps about bodies and headers. What can be told from the head is told there, before any of the body is
 * asked for (RFC 9110 section 10.1.1); a length that is not said, or said wrongly, is found out while it is counted.
 */
export function compileMessage(
  rule: MessageRule,
  lanes: HeaderLanes,
  modes: ModeRule,
  contract: CompiledContract,
  sensitive: CompiledSensitive,
): CompiledMessage {
  const step = (check: Check): CompiledStep => ({ ...check, mode: modeOf(modes, check.step as ModedCheck) });
  const always = (check: Check): CompiledStep => ({ ...check, mode: 'enforce' });
  const { requestBytes, contentTypes, answerBytes } = rule;
  const up = compileLane(lanes.up);
  const back = compileLane(lanes.back, lanes.hidePlatform);
  const head = [
    ...contract.head,
    ...sensitive.head,
    ...(contentTypes === 'ANY_TYPE' ? [] : [step(typeCheck(contentTypes))]),
    ...(requestBytes === 'ANY_SIZE' ? [] : [step(sizeCheck(requestBytes))]),
    ...(up === null ? [] : [always({ step: 'lane-up', about: null, run: () => laneFinding('lane.up', up) })]),
  ];
  const answerHead = [
    ...contract.answerHead,
    ...sensitive.answerHead,
    ...(answerBytes === 'ANY_SIZE' ? [] : [step(answerHeadCheck(answerBytes))]),
    ...(back === null ? [] : [always({ step: 'lane-back', about: null, run: () => laneFinding('lane.back', back) })]),
  ];
  return {
    head,
    later: {
      'request-body': requestBytes === 'ANY_SIZE' ? null : [step(sizeCheck(requestBytes))],
      'request-content': someOf([...contract.requestContent, ...sensitive.requestContent]),
      'answer-head': answerHead.length === 0 ? null : answerHead,
      'answer-body': answerBytes === 'ANY_SIZE' ? null : [step(answerBodyCheck(answerBytes))],
      'answer-content': someOf([...contract.answerContent, ...sensitive.answerContent]),
    },
    needs: {
      answerBytes: answerBytes === 'ANY_SIZE' ? null : answerBytes,
      requestContent: joinNeeds(contract.needs.requestContent, sensitive.needs.requestContent),
      answerContent: joinNeeds(contract.needs.answerContent, sensitive.needs.answerContent),
    },
    lanes: { up, back },
  };
}

const someOf = (steps: readonly CompiledStep[]): readonly CompiledStep[] | null => (steps.length === 0 ? null : steps);

function typeCheck(contentTypes: readonly string[]): Check {
  const takes = compileMediaRanges(contentTypes);
  const accepted = [...contentTypes];
  return {
    step: 'type',
    about: null,
    run: (exchange) => {
      if (exchange.body === null) return NO_TYPE;
      const value = exchange.header('content-type');
      if (value === undefined || value.trim() === '') return finding('type.missing', { accepted });
      const type = mediaTypeOf(value);
      return type !== null && takes(type)
        ? finding('type.accepted', { found: type })
        : finding('type.not-accepted', { found: shorten(type ?? value, 120), accepted });
    },
  };
}

function sizeCheck(limit: number): Check {
  return {
    step: 'size',
    about: null,
    beyond: () => limit,
    run: ({ body }) => {
      if (body === null) return NO_SIZE;
      const bytes = bytesOf(body);
      return bytes > limit ? finding('size.too-large', { bytes, limit }) : finding('size.within', { bytes: body.bytes, limit });
    },
  };
}

function answerHeadCheck(limit: number): Check {
  return {
    step: 'answer',
    about: null,
    run: ({ answer }) => {
      const bytes = answer?.bytes ?? null;
      return bytes !== null && bytes > limit ? finding('answer.too-large', { bytes, limit }) : finding('answer.within', { bytes, limit });
    },
  };
}

function answerBodyCheck(limit: number): Check {
  return {
    step: 'answer',
    about: null,
    run: ({ answer }) => {
      const bytes = answer?.seen ?? 0;
      return bytes > limit ? finding('answer.too-large', { bytes, limit }) : finding('answer.within', { bytes, limit });
    },
  };
}
