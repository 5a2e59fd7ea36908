import type { Exchange, StepRecord } from '../decision/exchange.js';
import { rulePointer } from '../decision/rule-pointer.js';
import type { StepTrace } from '../record/trace-record.js';

/** A step of a supposed request as traces have it. Nothing of it is anybody's secret, so that nothing is taken out. */
export const stepTraceOf = (exchange: Exchange, taken: StepRecord): StepTrace => ({
  step: taken.step,
  outcome: taken.outcome,
  mode: taken.mode,
  rule: rulePointer(exchange, taken),
  code: taken.finding.code,
  operands: taken.finding.operands,
  tookUs: taken.tookMs * 1000,
});
