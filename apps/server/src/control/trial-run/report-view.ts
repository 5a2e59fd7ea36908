import type { TrialReport, TrialResult } from '@virga/core';
import type { TrialReportView, TrialsKept } from '@virga/protocol';

/** So many trials that hold are shown; those that do not are all there. */
const SHOWN_HOLDING = 4000;
/** So many of those that neither hold nor fail. */
const SHOWN_OPEN = 2000;

export function reportView({ items, counts, operations, cut, tookMs }: TrialReport): TrialReportView {
  const of = (result: TrialResult, most: number) => items.filter((item) => item.result === result).slice(0, most);
  const shown = [...of('fails', Infinity), ...of('not-known', SHOWN_OPEN), ...of('observed', SHOWN_OPEN), ...of('holds', SHOWN_HOLDING)];
  return {
    holds: counts.holds,
    fails: counts.fails,
    observed: counts.observed,
    notKnown: counts['not-known'],
    operations,
    cut,
    tookMs: Math.round(tookMs),
    items: shown.map((item) => ({ ...item })),
  };
}

/** What is kept of trials with a release: how many came to what, and all that did not hold. */
export function keptTrials(report: TrialReport, overrule: readonly string[]): TrialsKept {
  const view = reportView(report);
  const items = view.items.filter(({ result }) => result !== 'holds').slice(0, 500);
  return { ...view, items, overruled: items.filter(({ result, name }) => result === 'fails' && overrule.includes(name)).map(({ name }) => name) };
}
