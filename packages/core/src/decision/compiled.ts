import type { CompiledRights } from '../access/check-rights.js';
import type { CompiledCondition } from '../condition/compile-condition.js';
import type { AuthorizerRule } from '../document/authorizer-rule.js';
import type { ProofKind } from '../credential/sent-credential.js';
import type { ContractSource } from '../contract/check/contract-source.js';
import { operationContract, type OperationContract } from '../contract/check/operation-contract.js';
import type { ContractRule } from '../document/contract-rule.js';
import type { PlanUse } from '../document/plan-rule.js';
import type { ConditionUse } from '../document/condition-rule.js';
import type { AddressRule } from '../document/address-rule.js';
import type { AccessRule } from '../document/access-rule.js';
import type { CheckMode } from '../document/modes.js';
import type { ApiRule, OperationRule, ReleaseDocument } from '../document/release-document.js';
import type { TokenPlace, TokenRule } from '../document/token-rule.js';
import type { CompiledLimit, CompiledPlan } from '../limit/compile-plan.js';
import { namesIn } from '../route/path-template.js';
import type { Router } from '../route/router.js';
import type { TokenCache } from '../token/token-cache.js';
import type { TokenVerifier, TrustedProvider } from '../token/verify-token.js';
import type { StepId } from '../verdict/code-entry.js';
import type { Finding } from '../verdict/codes.js';
import type { ClaimCheck } from './claims-step.js';
import type { compileVariables } from './condition-variables.js';
import type { Exchange } from './exchange.js';
import type { MessageRule } from '../document/message-rule.js';
import type { CompiledLane } from '../shape/header-lane.js';
import type { LaterPhase, Needs } from './phases.js';
import type { Ports } from './ports.js';

/** One check, ready to run. It waits only when it must; the common path returns no promise. */
export interface Check {
  readonly step: StepId;
  /** What the step vouches for: where it only observes and finds something wrong, that stays unproved. Null for none. */
  readonly about: ProofKind | null;
  readonly run: (exchange: Exchange) => Finding | Promise<Finding>;
  /** What it hangs on beside credentials and rights, for whoever supposes facts; left out where that is nothing. */
  readonly hangsOn?: CheckGrounds;
  /** Whether it reads the request's body, so that it waits until that was taken in; left out where it does not. */
  readonly readsBody?: boolean;
  /** In the phase of the request's body: the bytes beyond which it is run again, null for none. Left out, every byte is beyond. */
  readonly beyond?: (exchange: Exchange) => number | null;
}

/** What a check hangs on that a supposed request may not have. */
export type CheckGrounds =
  | { readonly kind: 'address'; readonly rule: AddressRule }
  | { readonly kind: 'condition'; readonly name: string; readonly condition: CompiledCondition; readonly variablesOf: ReturnType<typeof compileVariables> }
  | { readonly kind: 'authorizer'; readonly rule: AuthorizerRule }
  | { readonly kind: 'limit'; readonly names: readonly string[]; readonly surely: boolean }
  | { readonly kind: 'contract' }
  | { readonly kind: 'sensitive' };

/** A check in its mode, which makes of what it finds what becomes of the request. */
export interface CompiledStep extends Check {
  readonly mode: CheckMode;
}

/** What operations with the same rules share: who may call, how that is proved, what is asked of bodies, in what modes. */
export interface CompiledLine {
  readonly rights: CompiledRights | null;
  /** What is asked of tokens: the API's rule with the operation's own changes. */
  readonly token: TokenRule;
  /** The demands on claims, one by one, for the fall line and for explanation. */
  readonly claimChecks: readonly ClaimCheck[];
  /** From where it may be called: the operation's own rule, or the API's. */
  readonly addresses: AddressRule;
  /** The operation's own conditions, or the API's. */
  readonly conditions: readonly ConditionUse[];
  /** Names of the operation's own authorizers, or the API's. */
  readonly authorizers: readonly string[];
  /** Whether a plan is asked for: the operation's own rule, or the API's. */
  readonly plan: PlanUse;
  /** What of the contract is held against it: the API's rule with the operation's own changes. */
  readonly contract: ContractRule;
  /** Header fields that these may pass up, in lower case: a caller's own of these names stay at the gateway. */
  readonly passes: readonly string[];
  /** The checks behind routing, in order. */
  readonly fallLine: readonly CompiledStep[];
  /** The steps of the later phases; null where a phase has none. */
  readonly later: Readonly<Record<LaterPhase, readonly CompiledStep[] | null>>;
  readonly needs: Needs;
  /** Whether a condition or an authorizer reads the request's body. */
  readonly readsBody: boolean;
  /** Changes of header fields on the way up and back; null where nothing is changed. */
  readonly lanes: { readonly up: CompiledLane | null; readonly back: CompiledLane | null };
  /** What is asked of bodies: the API's rule with the operation's own changes. */
  readonly message: MessageRule;
  /** Places whose credentials stay at the gateway; empty where the upstream is to see them. */
  readonly withheld: readonly TokenPlace[];
}

/** One operation, ready to decide with. A release has many, so each holds only what is its own. */
export class CompiledOperation {
  readonly rule: OperationRule;
  readonly label: string;
  readonly parameterNames: readonly string[];
  readonly #owner: Pick<CompiledApi, 'rule' | 'pointer' | 'contract'>;
  readonly #position: number;
  readonly #line: CompiledLine;
  /** What the contract says of it: read when first asked, false where it says nothing. */
  #contract: OperationContract | false | null = null;

  /** @param position among the operations of its API; below zero it is what stands for paths that none matches, by the rule at -1 - position */
  constructor(rule: OperationRule, owner: Pick<CompiledApi, 'rule' | 'pointer' | 'contract'>, position: number, names: readonly string[], line: CompiledLine) {
    const label = `${rule.method} ${rule.path}`;
    this.rule = rule;
    this.label = label === rule.id ? rule.id : label;
    this.parameterNames = names;
    this.#owner = owner;
    this.#position = position;
    this.#line = line;
  }

  /** The API that it belongs to; no other one's upstream is ever called for it. */
  get api(): ApiRule {
    return this.#owner.rule;
  }

  /** Where it stands in the release document. */
  get pointer(): string {
    return this.#position < 0 ? `${this.#owner.pointer}/unmatched/${-1 - this.#position}` : `${this.#owner.pointer}/operations/${this.#position}`;
  }

  get access(): AccessRule {
    return this.rule.access ?? this.#owner.rule.access;
  }

  get rights(): CompiledLine['rights'] {
    return this.#line.rights;
  }

  get token(): CompiledLine['token'] {
    return this.#line.token;
  }

  get claimChecks(): CompiledLine['claimChecks'] {
    return this.#line.claimChecks;
  }

  get addresses(): CompiledLine['addresses'] {
    return this.#line.addresses;
  }

  get conditions(): CompiledLine['conditions'] {
    return this.#line.conditions;
  }

  get authorizers(): CompiledLine['authorizers'] {
    return this.#line.authorizers;
  }

  get plan(): CompiledLine['plan'] {
    return this.#line.plan;
  }

  get contractRule(): CompiledLine['contract'] {
    return this.#line.contract;
  }

  /** Whether a matrix parameter stands in this segment of its path, counted from 0, and is held against the contract. */
  takesMatrix(segment: number): boolean {
    if (!this.#line.fallLine.some(({ step, mode }) => step === 'contract-path' && mode === 'enforce')) return false;
    return namesIn(this.rule.path.split('/')[segment + 1] ?? '').some((name) => this.contract?.isMatrix(name) ?? false);
  }

  /** What the contract says of this operation; null where there is none or it does not describe it. */
  get contract(): OperationContract | null {
    const { source } = this.#owner.contract;
    this.#contract ??= (source && operationContract(source, this.rule.path, this.rule.method, this.#line.contract)) ?? false;
    return this.#contract === false ? null : this.#contract;
  }

  get passes(): CompiledLine['passes'] {
    return this.#line.passes;
  }

  get fallLine(): CompiledLine['fallLine'] {
    return this.#line.fallLine;
  }

  /** The checks of the head and of the request's body, in order: all that stand between a request and the upstream. */
  get ahead(): readonly CompiledStep[] {
    const content = this.#line.later['request-content'];
    return content === null ? this.#line.fallLine : [...this.#line.fallLine, ...content];
  }

  get later(): CompiledLine['later'] {
    return this.#line.later;
  }

  get needs(): CompiledLine['needs'] {
    return this.#line.needs;
  }

  get readsBody(): CompiledLine['readsBody'] {
    return this.#line.readsBody;
  }

  get lanes(): CompiledLine['lanes'] {
    return this.#line.lanes;
  }

  get message(): CompiledLine['message'] {
    return this.#line.message;
  }

  get withheld(): CompiledLine['withheld'] {
    return this.#line.withheld;
  }
}

export interface CompiledApi {
  readonly rule: ApiRule;
  /** Where it stands in the release document. */
  readonly pointer: string;
  readonly operations: readonly CompiledOperation[];
  /** What stands for paths that no operation matches, rule by rule; null for a rule that refuses. */
  readonly unmatched: readonly (CompiledOperation | null)[];
  /** The contract, where anything is held against it; null with the reason where it is not to be had. */
  readonly contract: { readonly source: ContractSource | null; readonly reason: string };
  /** Path and query of the API's resource metadata on this gateway (RFC 9728 section 3). */
  readonly metadataPath: string;
  /** Characters of the base path in its normal form, which a request's path begins with. */
  readonly baseLength: number;
}

export interface CompiledRelease {
  readonly document: ReleaseDocument;
  /** What every request passes before it is routed; null where everybody may. */
  readonly fence: CompiledStep | null;
  readonly router: Router<CompiledOperation, CompiledApi>;
  readonly apis: readonly CompiledApi[];
  readonly metadata: ReadonlyMap<string, CompiledApi>;
  readonly plans: readonly CompiledPlan[];
  /** All limits beside those of plans: of the gateway, of APIs and of operations. */
  readonly limits: readonly CompiledLimit[];
  readonly providersById: ReadonlyMap<string, TrustedProvider>;
  readonly verifier: TokenVerifier;
  readonly tokenCache: TokenCache;
  readonly ports: Ports;
}
