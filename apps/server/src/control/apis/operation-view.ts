import {
  CONTRACT_PARTS,
  contractInForce,
  describeAccess,
  looksAtContract,
  MODED_CHECKS,
  observedChecks,
  type AccessRule,
  type ApiRule,
  type ModeRule,
  type OperationRule,
  type HeaderEdit,
  type HeaderLanes,
  type MessageOverride,
} from '@virga/core';
import { addressRuleView, conditionUseView, limitView } from '@virga/protocol';
import type { HeaderEditDto, HeaderLanesDto, MessageOverrideDto, ModesDto, OperationView } from '@virga/protocol';
import type { OperationTraffic } from '../../store/record-store.js';
import { contractView } from './contract-mapping.js';
import { accessView } from './access-mapping.js';
import { overrideView, overrideWords } from './token-mapping.js';
import { isProvable } from './scheme-mapping.js';

export const modesView = ({ all, checks }: ModeRule): ModesDto => ({ all, checks: { ...checks } });

/** Modes as they are kept: checks that say nothing else than all of them are left out. */
export function modesFrom({ all, checks }: ModesDto): ModeRule {
  return { all, checks: Object.fromEntries(MODED_CHECKS.flatMap((check) => (checks[check] && checks[check] !== all ? [[check, checks[check]]] : []))) };
}

/** The checks of an operation that only observe; none where nothing is asked. */
export function observedOf(api: ApiRule, { access, message, modes, addresses, conditions, authorizers, contract, plan, limits }: OperationRule): string[] {
  const asked = { ...api.message, ...message };
  const byItself = {
    address: (addresses ?? api.addresses).kind !== 'anywhere',
    condition: (conditions ?? api.conditions).length > 0,
    authorizer: (authorizers ?? api.authorizers).length > 0,
    plan: (plan ?? api.plan).asked && (access ?? api.access).kind === 'required',
    limit: api.limits.length + limits.length > 0,
    type: asked.contentTypes !== 'ANY_TYPE',
    size: asked.requestBytes !== 'ANY_SIZE',
    answer: asked.answerBytes !== 'ANY_SIZE',
  };
  const required = (access ?? api.access).kind === 'required';
  const inForce = contractInForce(api.contract, contract);
  const observesContract =
    looksAtContract(inForce) && ((modes ?? api.modes).all === 'observe' || CONTRACT_PARTS.some((part) => inForce.parts[part] === 'observe'));
  const checks: string[] = observedChecks(modes ?? api.modes).filter((check) => (check in byItself ? byItself[check as keyof typeof byItself] : required));
  return observesContract ? [...checks, 'contract'] : checks;
}

/** What bodies may be, as it is sent to the console. */
export const messageView = ({ contentTypes, ...bounds }: MessageOverride): MessageOverrideDto => ({
  ...bounds,
  ...(contentTypes === undefined ? {} : { contentTypes: contentTypes === 'ANY_TYPE' ? contentTypes : [...contentTypes] }),
});

export const lanesView = ({ up, back, hidePlatform }: HeaderLanes): HeaderLanesDto => ({ up: up.map(editView), back: back.map(editView), hidePlatform });

const editView = (edit: HeaderEdit): HeaderEditDto => (edit.action === 'remove' ? { ...edit } : { ...edit, value: { ...edit.value } });

/** Schemes that nobody can meet, where they close every alternative of a rule. */
function unmetOf(access: AccessRule, usable: ReadonlySet<string>): string[] {
  if (access.kind !== 'required') return [];
  const unmet = access.alternatives.map((alternative) => alternative.map(({ scheme }) => scheme).filter((name) => !usable.has(name)));
  return unmet.every((names) => names.length > 0) ? [...new Set(unmet.flat())] : [];
}

/** Operations of an API with what stands for each, where it was set, and what it is live. */
export function operationViews(api: ApiRule, live: ApiRule | null | undefined, traffic: ReadonlyMap<string, OperationTraffic>): OperationView[] {
  const liveOperations = new Map(live?.operations.map((operation) => [operation.id, operation]));
  const usable = new Set(api.schemes.filter(isProvable).map((scheme) => scheme.name));
  return api.operations.map((operation) => {
    const effective = operation.access ?? api.access;
    const who = describeAccess(effective, api.schemes);
    const before = liveOperations.get(operation.id);
    const liveWho = live ? (before ? describeAccess(before.access ?? live.access, live.schemes) : 'not live') : null;
    const { id, method, path, summary, operationId } = operation;
    const seen = traffic.get(id);
    return {
      id,
      method,
      path,
      operationId,
      summary,
      access: operation.access === null ? null : accessView(operation.access),
      who,
      effective: effective.kind,
      setAt: operation.access === null ? 'api' : 'operation',
      setBy: effective.origin,
      token: operation.token === null ? null : overrideView(operation.token),
      tokenWords: overrideWords(operation.token),
      message: operation.message && messageView(operation.message),
      addresses: operation.addresses && addressRuleView(operation.addresses),
      conditions: operation.conditions && operation.conditions.map(conditionUseView),
      authorizers: operation.authorizers && [...operation.authorizers],
      modes: operation.modes === null ? null : modesView(operation.modes),
      contract: operation.contract && contractView(operation.contract),
      plan: operation.plan && { ...operation.plan },
      limits: operation.limits.map(limitView),
      hidden: operation.hidden,
      observed: observedOf(api, operation),
      liveWho: liveWho === who ? null : liveWho,
      unmet: unmetOf(effective, usable),
      requests: seen?.requests ?? 0,
      refused: seen?.refused ?? 0,
      wouldRefuse: seen?.wouldRefuse ?? 0,
    };
  });
}
