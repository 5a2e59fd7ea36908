import type { CompiledOperation } from '../decision/compiled.js';
import { explainSteps, type ExplainedStep } from '../release/explain-steps.js';
import type { SupposedCaller, SupposedCredential } from '../suppose/supposed-caller.js';
import type { SupposedRequest } from '../suppose/supposed-request.js';
import type { SupposedOutcome, Supposition } from '../suppose/supposition.js';
import type { StepId } from '../verdict/code-entry.js';
import type { Code, Finding } from '../verdict/codes.js';
import type { KnownFacts } from '../suppose/supposed-caller.js';
import { whenThere, type Awaitable } from '../util/awaitable.js';
import type { ChangeKind } from './change.js';
import { hangsOn, leastWay, letThrough, type LetThrough } from './let-through.js';
import { stepTraceOf } from './step-trace.js';
import { whatHolds, type Held } from './what-holds.js';
import { waysOf } from './ways.js';

/** What a caller comes to at an operation: it is let in, it is refused, or that hangs on facts that are not known. */
export interface ReachCell {
  readonly kind: 'allowed' | 'conditional' | 'refused';
  /** The step that decided, and its code: of a refusal the one of the way that came furthest. */
  readonly step: StepId;
  readonly code: Code;
  /** Facts that it hangs on, in words; empty unless it is conditional. */
  readonly hangsOn: readonly string[];
  /** Whether a check that only observes would have refused it. */
  readonly wouldRefuse: boolean;
}

/** What the credential of a caller that was only described may say beside what is known of it. */
const OF_TOKEN: readonly ChangeKind[] = ['token', 'scope', 'claim', 'sign-in', 'attribute'];
/** A persona asks for its scopes, so that these are known before it has a token. */
const BESIDE_SCOPES: readonly ChangeKind[] = ['token', 'role', 'claim', 'sign-in', 'attribute'];

/**
 * Who can reach which operation by one release, in a supposed world. Operations with the same rules are decided once for each
 * caller, unless a condition looks at which of them is called.
 */
export class Reach {
  readonly #supposition: Supposition;
  readonly #facts: KnownFacts;
  readonly #request: SupposedRequest;
  readonly #nowMs: number;
  /** By operation: those that are decided alike have the same. */
  readonly #rows = new Map<CompiledOperation, RowMemory>();

  /** @param request what is supposed of every request */
  constructor(supposition: Supposition, facts: KnownFacts, request: SupposedRequest, nowMs: number) {
    this.#supposition = supposition;
    this.#facts = facts;
    this.#request = request;
    this.#nowMs = nowMs;
    const shared = new Map<string | CompiledOperation['fallLine'], RowMemory>();
    for (const operation of this.operations) {
      const key = shareOf(operation);
      let row = shared.get(key);
      if (!row) shared.set(key, (row = { of: null, cells: [] }));
      this.#rows.set(operation, row);
    }
  }

  get operations(): readonly CompiledOperation[] {
    return this.#supposition.release.apis.flatMap((api) => api.operations);
  }

  /** What an operation is to each of some callers, in their order. Operations that are decided alike have one row. */
  async row(operation: CompiledOperation, callers: readonly SupposedCaller[]): Promise<readonly ReachCell[]> {
    const row = this.#rows.get(operation);
    if (row?.of === callers) return row.cells;
    const cells: ReachCell[] = [];
    for (const caller of callers) {
      const cell = this.cell(operation, caller);
      cells.push(cell instanceof Promise ? await cell : cell);
    }
    if (row) Object.assign(row, { of: callers, cells });
    return cells;
  }

  /** Waits only where a decision does. */
  cell(operation: CompiledOperation, caller: SupposedCaller): Awaitable<ReachCell> {
    return whenThere(this.outcome(operation, caller), ({ outcome, way }) => {
      const cell = cellOf(outcome);
      if (cell.kind !== 'refused' || !way.some((one) => one.kind === 'token' && one.vague)) return cell;
      // Of a token that was only described it is asked what else it would have to say.
      const kinds = caller.kind === 'persona' ? BESIDE_SCOPES : OF_TOKEN;
      const call = { operation, credentials: way, request: this.#request, nowMs: this.#nowMs };
      return leastWay(this.#supposition, call, this.#facts, { kinds }).then((lacking) =>
        lacking === null ? cell : { ...cell, kind: 'conditional', hangsOn: lacking },
      );
    });
  }

  /** A cell with all that is to be said of it: its steps, what would let it in where it is refused, what holds it where it is not. */
  async explain(operation: CompiledOperation, caller: SupposedCaller): Promise<ExplainedCell> {
    const { outcome, way } = await this.outcome(operation, caller);
    const call = { operation, credentials: way, request: this.#request, nowMs: this.#nowMs };
    const refused = outcome.verdict.kind === 'answer';
    const { ways, cut } = refused ? await letThrough(this.#supposition, call, this.#facts) : { ways: [], cut: false };
    return {
      cell: await this.cell(operation, caller),
      steps: explainSteps(
        outcome.exchange.steps.map((taken) => stepTraceOf(outcome.exchange, taken)),
        this.#supposition.release.document,
      ),
      target: outcome.exchange.target,
      letThrough: ways,
      cut,
      held: refused ? [] : await whatHolds(this.#supposition, call),
    };
  }

  /** What a cell stands for: the decision of the way that came furthest. */
  outcome(operation: CompiledOperation, caller: SupposedCaller): Awaitable<ReachOutcome> {
    const ways = waysOf(operation, caller, this.#nowMs);
    let furthest: ReachOutcome | null = null;
    const next = (index: number): Awaitable<ReachOutcome> => {
      for (let at = index; at < ways.length; at++) {
        const way = ways[at] as readonly SupposedCredential[];
        const deciding = this.#supposition.decide({ operation, credentials: way, request: this.#request, nowMs: this.#nowMs });
        if (ways.length === 1 && !(deciding instanceof Promise)) return { outcome: deciding, way };
        const weigh = (outcome: SupposedOutcome): void => {
          if (furthest === null || worth(outcome) > worth(furthest.outcome)) furthest = { outcome, way };
        };
        if (deciding instanceof Promise)
          return deciding.then((outcome) => {
            weigh(outcome);
            return next(at + 1);
          });
        weigh(deciding);
      }
      if (furthest === null) throw new Error('invariant: calling without any credential is a way');
      return furthest;
    };
    return next(0);
  }
}

interface RowMemory {
  of: readonly SupposedCaller[] | null;
  cells: readonly ReachCell[];
}

/** A cell in words. */
export interface ExplainedCell {
  readonly cell: ReachCell;
  readonly steps: readonly ExplainedStep[];
  /** What was asked for; credentials that travel in a query are supposed ones. */
  readonly target: string;
  /** What would let the caller in; empty where it is let in, or where nothing would. */
  readonly letThrough: readonly LetThrough[];
  /** Whether the search for it was ended before all was tried. */
  readonly cut: boolean;
  /** What it is let in by, and would not be without. */
  readonly held: readonly Held[];
}

/** The decision that a cell stands for. */
export interface ReachOutcome {
  readonly outcome: SupposedOutcome;
  /** The credentials that went with it. */
  readonly way: readonly SupposedCredential[];
}

/** What operations have in common that are decided alike for every caller. */
export function shareOf(operation: CompiledOperation): string | CompiledOperation['fallLine'] {
  const own = operation.ahead.some(({ hangsOn: grounds }) => {
    if (grounds?.kind === 'authorizer') return true;
    return (
      grounds?.kind === 'condition' &&
      grounds.condition.looksAt.some(
        ([root, name]) => root === 'request' && (name === undefined || name === 'method' || name === 'operation' || name === 'path'),
      )
    );
  });
  // Plans open operations one by one, however alike their rules are.
  return own || operation.plan.asked || operation.message.contentTypes !== 'ANY_TYPE' || operation.message.requestBytes !== 'ANY_SIZE'
    ? `${operation.api.id}\n${operation.rule.id}`
    : operation.fallLine;
}

/** How far a way came: passing counts most, then hanging on little, then the steps it took. */
function worth(outcome: SupposedOutcome): number {
  const { verdict, exchange } = outcome;
  if (verdict.kind === 'answer') return exchange.steps.length + (exchange.credentials.length > 0 ? 0.5 : 0);
  return 1000 - hangsOn(outcome).length - (exchange.wouldRefuse === null ? 0 : 0.5);
}

const NO_FACTS: readonly string[] = Object.freeze([]);
/** Cells that hang on nothing are few, and stand for many. */
const plainCells = new Map<string, ReachCell>();

export function cellOf(outcome: SupposedOutcome): ReachCell {
  const { verdict, exchange } = outcome;
  const refused = verdict.kind === 'answer';
  const facts = refused ? NO_FACTS : hangsOn(outcome);
  const deciding = refused ? verdict.finding : grantOf(outcome);
  const step = (refused ? exchange.steps[exchange.steps.length - 1] : exchange.steps.find(({ finding }) => finding === deciding))?.step ?? 'route';
  const wouldRefuse = exchange.wouldRefuse !== null;
  const { code } = deciding;
  if (facts.length > 0) return { kind: 'conditional', step, code, hangsOn: facts, wouldRefuse };
  const key = `${verdict.kind} ${step} ${code} ${wouldRefuse}`;
  let cell = plainCells.get(key);
  if (!cell) plainCells.set(key, (cell = { kind: refused ? 'refused' : 'allowed', step, code, hangsOn: NO_FACTS, wouldRefuse }));
  return cell;
}

/** What let a call in: the finding about rights, or that nothing was asked. */
function grantOf({ verdict, exchange }: SupposedOutcome): Finding {
  const { steps } = exchange;
  return (steps.find(({ step }) => step === 'rights') ?? steps.find(({ step }) => step === 'credential'))?.finding ?? verdict.finding;
}
