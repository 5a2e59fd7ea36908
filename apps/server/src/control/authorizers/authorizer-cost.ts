import { timeWithin, type AuthorizerCost, type NodeAuthorizerReport } from '@virga/protocol';

/** What asking an authorizer cost, added up over nodes. */
export function costOf(reports: readonly NodeAuthorizerReport[]): AuthorizerCost {
  const sum = (member: 'allowed' | 'denied' | 'signIn' | 'failed' | 'kept'): number => reports.reduce((all, report) => all + report[member], 0);
  const times = reports.reduce<number[]>((all, report) => report.times.map((count, index) => count + (all[index] ?? 0)), []);
  return {
    allowed: sum('allowed'),
    denied: sum('denied'),
    signIn: sum('signIn'),
    failed: sum('failed'),
    kept: sum('kept'),
    p50: timeWithin(times, 0.5),
    p95: timeWithin(times, 0.95),
    p99: timeWithin(times, 0.99),
  };
}
