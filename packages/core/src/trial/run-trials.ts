import type { Authorizers } from '../authorizer/ask.js';
import type { CompiledOperation } from '../decision/compiled.js';
import type { ReleaseDocument } from '../document/release-document.js';
import type { KnownFacts } from '../suppose/supposed-caller.js';
import { Supposition } from '../suppose/supposition.js';
import { trialFacts } from './favoured-call.js';
import { runSavedTrial, type SavedTrial } from './saved-trial.js';
import { TrialKeys } from './trial-keys.js';
import { MAX_HOLDING, worstFirst, type TrialOutcome, type TrialReport, type TrialResult } from './trial.js';
import { OperationTrials } from './operation-trials.js';

/** How long ways in are looked for in one run, milliseconds; attacks of later operations begin with a caller that has all rights. */
const SEARCH_MS = 10_000;

/** What trials are run with. */
export interface TrialWorld {
  readonly facts: KnownFacts;
  /** What runs scripts; services are asked by nobody. Null where scripts are not run either. */
  readonly scripts: Authorizers | null;
  /** Milliseconds since the epoch. */
  readonly nowMs: number;
  readonly saved: readonly SavedTrial[];
  /** A clock for durations, milliseconds. */
  ticks(): number;
}

/**
 * Tries to get into every guarded operation of a release, through its own decision: by attacks that are made from its rules and
 * from those of the release before, and by what was saved. What the one before guarded and this one does not is tried as well.
 * @param before what is in force; null for nothing
 * @throws ConfigError for a release that cannot be used
 */
export async function runTrials(document: ReleaseDocument, before: ReleaseDocument | null, world: TrialWorld): Promise<TrialReport> {
  const { nowMs, ticks } = world;
  const from = ticks();
  const keys = await TrialKeys.make(document.providers);
  const unknown = { hour: false, address: false, request: false, authorizers: world.scripts === null ? 'all' : 'services' } as const;
  // Which rights there are is told by the release, so that it is compiled once to see and once to try.
  const plan = new Supposition(document, { facts: world.facts, unknown, keys, authorizers: world.scripts });
  const facts = trialFacts(world.facts, plan.release, nowMs);
  const given = { facts, unknown, keys, authorizers: world.scripts };
  const earlier = before === null ? null : new Supposition(before, given);
  const strict = new Supposition(document, { ...given, unknown: { ...unknown, possession: 'asked' } });
  const allSpent = { ...given, unknown: { ...unknown, limits: 'spent' } } as const;
  const spent = new Supposition(document, allSpent);
  const earlierSpent = before === null ? null : new Supposition(before, allSpent);
  const trials = new OperationTrials({
    supposition: new Supposition(document, given),
    strict,
    spent,
    earlierSpent,
    earlier,
    facts,
    keys,
    nowMs,
    isOver: () => ticks() - from > SEARCH_MS,
  });
  const guards = new Map(earlier?.release.apis.flatMap((api) => api.operations.map((operation) => [placeOf(operation), operation] as const)));
  const items: TrialOutcome[] = [];
  const counts: Record<TrialResult, number> = { holds: 0, fails: 0, observed: 0, 'not-known': 0 };
  const add = (outcome: TrialOutcome): void => {
    counts[outcome.result]++;
    if (outcome.result !== 'holds' || counts.holds <= MAX_HOLDING) items.push(outcome);
  };
  let operations = 0;
  for (const operation of trials.operations) {
    const some = await trials.tryOperation(operation, guards.get(placeOf(operation)) ?? null);
    if (some.length > 0) operations++;
    some.forEach(add);
  }
  const real = new Supposition(document, { facts: world.facts, unknown, keys: null, authorizers: world.scripts });
  for (const saved of world.saved) add(await runSavedTrial(real, saved, nowMs));
  return { items: worstFirst(items), counts, operations, cut: trials.isCut, tookMs: ticks() - from };
}

/**
 * Where an operation is called, whatever its API and its parameters are called: one that is taken away and brought in anew is
 * guarded as it was.
 */
const placeOf = ({ api, rule }: CompiledOperation): string => `${rule.method} ${(api.basePath + rule.path).replace(/\{[^{}]+\}/g, '{}')}`;
