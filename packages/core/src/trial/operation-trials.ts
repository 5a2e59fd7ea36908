import type { CompiledOperation } from '../decision/compiled.js';
import { nameOf } from './operation-name.js';
import type { ChangeKind } from '../reach/change.js';
import { shareOf } from '../reach/reach.js';
import { firstPassing, hangsOn } from '../reach/let-through.js';
import type { KnownFacts, SupposedToken } from '../suppose/supposed-caller.js';
import { usualType } from '../suppose/supposed-request.js';
import { Supposition, type SupposedCall, type SupposedOutcome } from '../suppose/supposition.js';
import { tamper, type TamperedToken } from '../bench/tamper.js';
import { entryOf, type Finding } from '../verdict/codes.js';
import { explain } from '../verdict/explain.js';
import {
  addressAttacks,
  bodyAttacks,
  lackingAttacks,
  namesThings,
  openAttacks,
  otherThingAttacks,
  type Attack,
  type AttackGround,
  type GoodWay,
} from './attacks.js';
import { contentAttacks } from './content-attacks.js';
import { meeting, plainCall } from './favoured-call.js';
import { planAttacks } from './plan-attacks.js';
import { replayedProof } from './replayed-proof.js';
import { TrialKeys } from './trial-keys.js';
import { isWorse, MAX_HOLDING, type TrialOutcome } from './trial.js';

/** An attack in words, and what came of it. */
interface Judged {
  readonly title: string;
  readonly outcome: TrialOutcome;
}

/** What trials of one release are run in. */
export interface TrialGround {
  readonly supposition: Supposition;
  /** The same, where whoever holds a bound token does not prove possession. */
  readonly strict: Supposition;
  /** The same, where every limit is used up. */
  readonly spent: Supposition;
  readonly earlierSpent: Supposition | null;
  /** What was in force before; null for nothing. */
  readonly earlier: Supposition | null;
  readonly facts: KnownFacts;
  readonly keys: TrialKeys;
  readonly nowMs: number;
  /** Whether ways in were looked for long enough. */
  readonly isOver: () => boolean;
}

/** Trials of the operations of one release. */
export class OperationTrials {
  readonly #supposition: Supposition;
  readonly #strict: Supposition;
  readonly #spent: Supposition;
  readonly #earlierSpent: Supposition | null;
  readonly #earlier: Supposition | null;
  readonly #facts: KnownFacts;
  readonly #keys: TrialKeys;
  readonly #nowMs: number;
  readonly #isOver: () => boolean;
  #held = 0;
  #isCut = false;
  readonly #shared: { readonly keys: readonly unknown[]; readonly trials: Promise<readonly Judged[]> }[] = [];
  /** Variants of a token, made once for all operations that ask the same of tokens. */
  readonly #variants = new Map<string, Promise<readonly TamperedToken[]>>();

  constructor({ supposition, strict, spent, earlierSpent, earlier, facts, keys, nowMs, isOver }: TrialGround) {
    this.#isOver = isOver;
    this.#supposition = supposition;
    this.#strict = strict;
    this.#spent = spent;
    this.#earlierSpent = earlierSpent;
    this.#earlier = earlier;
    this.#facts = facts;
    this.#keys = keys;
    this.#nowMs = nowMs;
  }

  /** Whether a way in was not looked for to the end. */
  get isCut(): boolean {
    return this.#isCut;
  }

  get operations(): readonly CompiledOperation[] {
    return this.#supposition.release.apis.flatMap((api) => api.operations);
  }

  async tryOperation(operation: CompiledOperation, earlier: CompiledOperation | null): Promise<TrialOutcome[]> {
    const guards = earlier === null ? [operation] : [operation, earlier];
    // Without a credential it is the same attack whoever's rule it is made of.
    const attacks = new Map(guards.flatMap((guard) => openAttacks(this.#groundOf(operation, guard))).map((one) => [one.id, one]));
    const open = await this.#judgeAll(guards, [...attacks.values()]);
    // Where nobody at all gets in, whoever brings something does too: the one says it all.
    if (open[0]?.outcome.result === 'fails') return open.slice(0, 1).map(({ outcome }) => outcome);
    const own = await this.#sharedTrials(operation, guards);
    const titles = new Set(open.map(({ title }) => title));
    return [
      ...open.map(({ outcome }) => outcome),
      ...own.filter(({ title }) => !titles.has(title)).map(({ title, outcome }) => ({ ...outcome, ...nameOf(operation, title) })),
    ];
  }

  /** Trials that hang on nothing but the rules: made once for all operations of an API that have the same. */
  #sharedTrials(operation: CompiledOperation, guards: readonly CompiledOperation[]): Promise<readonly Judged[]> {
    const keys = guards.map(shareOf);
    const known = this.#shared.find((one) => one.keys.length === keys.length && one.keys.every((key, index) => key === keys[index]));
    if (known) return known.trials;
    const trials = this.#ruleTrials(operation, guards);
    this.#shared.push({ keys, trials });
    return trials;
  }

  async #ruleTrials(operation: CompiledOperation, guards: readonly CompiledOperation[]): Promise<readonly Judged[]> {
    const attacks: Attack[] = [];
    for (const guard of guards) attacks.push(...(await this.#attacksOn(operation, guard)));
    this.#isCut ||= this.#isOver();
    const judged = await this.#judgeAll(guards, attacks);
    const replayed = await replayedProof(this.#strict, operation, this.#nowMs);
    const title = 'a proof of possession that was used before';
    return replayed ? [...judged, { title, outcome: outcomeOf(operation, title, replayed) }] : judged;
  }

  /** Of two attacks in the same words, made of two rules, the one that came out worse is told. */
  async #judgeAll(guards: readonly CompiledOperation[], attacks: readonly Attack[]): Promise<Judged[]> {
    const judged = new Map<string, Judged>();
    for (const one of attacks) {
      const outcome = await this.#judge(guards, one);
      const known = judged.get(one.title)?.outcome;
      if (outcome && (!known || isWorse(outcome.result, known.result))) judged.set(one.title, { title: one.title, outcome });
    }
    return [...judged.values()];
  }

  #ruledBy(operation: CompiledOperation, guard: CompiledOperation): Supposition {
    return guard === operation ? this.#supposition : (this.#earlier ?? this.#supposition);
  }

  #groundOf(operation: CompiledOperation, guard: CompiledOperation): AttackGround {
    return { release: this.#supposition.release, operation, guard, nowMs: this.#nowMs, ruled: this.#ruledBy(operation, guard).release.document };
  }

  async #attacksOn(operation: CompiledOperation, guard: CompiledOperation): Promise<Attack[]> {
    const ruled = this.#ruledBy(operation, guard);
    const ground = this.#groundOf(operation, guard);
    const attacks: Attack[] = [];
    if (guard.rights?.anonymous) return attacks;
    const ways = await this.#goodWays(operation, guard);
    for (const way of ways) attacks.push(...lackingAttacks(ground, way));
    // What is no matter of credentials is tried with the first way in.
    const [first] = ways;
    const call = first?.call ?? (guard.rights === null && this.#asksOfCalls(guard) ? await this.#passing(plainCall(operation, [], this.#nowMs)) : null);
    if (first) attacks.push(...(await this.#tampered(guard, first.call)));
    if (call) attacks.push(...addressAttacks(ground, call), ...bodyAttacks(ground, call), ...planAttacks(ground, call));
    const bodied = call && (await this.#passingWithBody(ruled, { ...(first?.plain ?? call), operation: guard }));
    if (bodied)
      for (const one of contentAttacks(ground, { ...bodied, operation })) if (await isRefused(ruled, { ...one.call, operation: guard })) attacks.push(one);
    const own = first && namesThings(guard) ? await this.#passingByAttributes(ruled, { ...first.plain, operation: guard }) : null;
    if (own) attacks.push(...otherThingAttacks(ground, { ...own, operation }));
    return attacks;
  }

  /** Whether an operation asks something of calls beside who sends them, so that there is something to try with a call that gets in. */
  #asksOfCalls({ addresses, message, readsBody }: CompiledOperation): boolean {
    const { fence } = this.#supposition.release.document;
    return (
      readsBody || addresses.kind === 'only' || fence.addresses.kind === 'only' || message.contentTypes !== 'ANY_TYPE' || message.requestBytes !== 'ANY_SIZE'
    );
  }

  /** For each alternative of the guard a call that gets in; where none was found, one with all rights. */
  async #goodWays(operation: CompiledOperation, guard: CompiledOperation): Promise<GoodWay[]> {
    const { providers } = this.#supposition.release.document;
    const ways: GoodWay[] = [];
    for (const [at, alternative] of (guard.rights?.alternatives ?? []).entries()) {
      const good = meeting(guard, alternative, providers, this.#nowMs);
      if (good === null) continue;
      const plain = plainCall(operation, good, this.#nowMs);
      ways.push({ alternative, at, plain, call: (await this.#passing(plain)) ?? plain });
    }
    return ways;
  }

  /**
   * A call that gets in, beginning with one that has all rights; null where none was found. Where its body is read, one that says
   * what it has to say; else what it says is not supposed, so that no attack is stopped by that.
   */
  async #passing(call: SupposedCall): Promise<SupposedCall | null> {
    const found = await this.#passingWithBody(this.#supposition, call);
    return found ?? firstPassing(this.#supposition, call, this.#facts, { kinds: CHANGED, isOver: this.#isOver });
  }

  /** A call that gets in with a body, beginning with an empty object; null where none was found, or where no rule reads the body. */
  async #passingWithBody(by: Supposition, call: SupposedCall): Promise<SupposedCall | null> {
    if (!call.operation.readsBody) return null;
    const headers = { 'content-type': usualType(call.operation), ...call.request.headers };
    const empty = { ...call, request: { ...call.request, headers, body: { content: '{}' } } };
    // Whoever may send anything shows nothing about bodies: somebody is looked for first who may not.
    const isMeant = (found: SupposedCall): Promise<boolean> => isRefused(by, { ...found, request: { ...found.request, body: empty.request.body } });
    const found = await firstPassing(by, empty, this.#facts, { kinds: CHANGED, isOver: this.#isOver, isMeant });
    return found ?? firstPassing(by, empty, this.#facts, { kinds: CHANGED, isOver: this.#isOver });
  }

  /** The same, and for what its token says of it beside rights: without that it is refused. */
  #passingByAttributes(by: Supposition, call: SupposedCall): Promise<SupposedCall | null> {
    const isMeant = async (found: SupposedCall): Promise<boolean> => {
      const credentials = found.credentials.map((one) => (one.kind === 'token' ? { ...one, principal: { ...one.principal, attributes: {} } } : one));
      return (await by.decide({ ...found, credentials })).verdict.kind === 'answer';
    };
    return firstPassing(by, call, this.#facts, { kinds: CHANGED, isOver: this.#isOver, isMeant });
  }

  /** Tokens with one thing changed about each, signed by keys that count here as the provider's. */
  async #tampered(guard: CompiledOperation, good: SupposedCall): Promise<Attack[]> {
    const token = good.credentials.find((one): one is SupposedToken => one.kind === 'token' && one.form === 'jwt');
    const publicKey = token ? this.#keys.publicKey(token.providerId) : null;
    if (!token || publicKey === null) return [];
    const header = { typ: token.typ ?? 'at+jwt' };
    const claims = { ...token.claims, scope: (token.principal?.scopes ?? []).join(' '), roles: [...(token.principal?.roles ?? [])] };
    const key = JSON.stringify([token.providerId, header, claims]);
    let variants = this.#variants.get(key);
    if (!variants) {
      variants = this.#keys.sign(token.providerId, header, claims).then(async (text) => {
        const tools = {
          publicKey,
          nowSeconds: Math.floor(this.#nowMs / 1000),
          sign: async (other: typeof header, edited: typeof claims) => (await this.#keys.sign(token.providerId, other, edited)) ?? '',
        };
        return text === null ? [] : ((await tamper(text, tools as Parameters<typeof tamper>[1])) ?? []);
      });
      this.#variants.set(key, variants);
    }
    const others = good.credentials.filter((one) => one !== token);
    return (await variants)
      .filter(({ expected }) => !NOT_ASKED[expected[0] ?? '']?.(guard))
      .map(({ id, title, token: text }): Attack => ({
        id: `tampered ${id}`,
        title: `a token ${title}`,
        call: { ...good, credentials: [...others, { kind: 'pasted', as: 'token', text }] },
        needsTrust: true,
      }));
  }

  async #judge([operation, earlier]: readonly CompiledOperation[], { title, call, withoutProof = false, spent = false }: Attack): Promise<TrialOutcome | null> {
    if (!operation) throw new Error('invariant: the operation that is tried is the first of its guards');
    const outcome = await (spent ? this.#spent : withoutProof ? this.#strict : this.#supposition).decide(call);
    const reached = outcome.exchange.operation;
    // Another spelling may lead to another operation, which has its own trials.
    if (outcome.verdict.kind === 'forward' && reached !== null && reached.rule.id !== operation.rule.id) return null;
    // Words are made for what somebody may read.
    if (outcome.verdict.kind === 'answer') this.#held++;
    const told = outcomeOf(operation, title, outcome, this.#held <= MAX_HOLDING || outcome.verdict.kind === 'forward');
    // What refused before and only observes now lets in what it stopped.
    if (told.result !== 'observed' || !earlier || !this.#earlier) return told;
    const before = await ((spent ? this.#earlierSpent : null) ?? this.#earlier).decide({ ...call, operation: earlier });
    return before.verdict.kind === 'answer' ? { ...told, result: 'fails' } : told;
  }
}

const isRefused = async (by: Supposition, call: SupposedCall): Promise<boolean> => (await by.decide(call)).verdict.kind === 'answer';

/** What may be otherwise about a call that is to get in: anything but its credentials. */
const CHANGED: readonly ChangeKind[] = ['role', 'attribute', 'address', 'hour', 'request', 'claim', 'sign-in', 'token'];

/** Variants that are no mistake where a rule does not ask for what they lack. */
const NOT_ASKED: Readonly<Record<string, (guard: CompiledOperation) => boolean>> = {
  'token.audience-wrong': ({ token }) => token.audiences === 'ANY_AUDIENCE',
};

function outcomeOf(operation: CompiledOperation, tried: string, outcome: SupposedOutcome, inWords = true): TrialOutcome {
  const { exchange, verdict } = outcome;
  const refused = verdict.kind === 'answer';
  const observed = exchange.wouldRefuse;
  const deciding: Finding = refused || observed === null ? verdict.finding : observed.finding;
  const taken = exchange.steps.find(({ finding }) => finding === deciding);
  const { code, operands } = deciding;
  return {
    ...nameOf(operation, tried),
    expected: 'refused',
    result: refused ? 'holds' : hangsOn(outcome).length > 0 ? 'not-known' : observed !== null ? 'observed' : 'fails',
    step: taken?.step ?? entryOf(code).step,
    code,
    sentence: !inWords ? '' : refused || observed !== null ? (explain(code, operands)?.sentence ?? code) : 'It was let in.',
  };
}
