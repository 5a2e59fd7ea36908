import { readBasic } from '../credential/read-basic.js';
import type { SentCredential } from '../credential/sent-credential.js';
import type { GuessingRule } from '../document/limit-rule.js';
import type { Demand } from '../limit/counters.js';
import { subjectOf } from '../limit/subject-of.js';
import { entryOf, finding, type Code, type Finding } from '../verdict/codes.js';
import type { Check } from './compiled.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';

const FEW = finding('guess.few', {});
/** What is genuine and over is no guess: whoever sends it had it. */
const NO_GUESS: ReadonlySet<Code> = new Set<Code>([
  'token.expired',
  'key.expired',
  'basic.expired',
  'certificate.expired',
  'key.client-off',
  'basic.client-off',
  'certificate.client-off',
]);

/**
 * Compiles the step that holds up whoever fails to prove itself again and again, before anything is proved. Failures are
 * counted by address and by credential; nothing waits for them.
 */
export function compileGuessStep(rule: GuessingRule, { guesses, now, digest }: Ports): Check {
  const counts = countsOf(rule);
  return {
    step: 'guess',
    about: null,
    run: (exchange) => {
      if (exchange.sent.length === 0) return FEW;
      const demands = demandsOf(counts, exchange, digest);
      const standings = guesses.look(demands, now());
      const at = standings.findIndex(({ over }) => over);
      if (at < 0) return FEW;
      const { measure, by } = demands[at] as (typeof demands)[number];
      return finding('guess.too-many', { by, failures: measure.requests, spanSeconds: rule.seconds, waitMs: standings[at]?.waitMs ?? 0 });
    },
  };
}

/** Wraps a check that proves a credential, so that its failures are counted. */
export function countingFailures(check: Check, rule: GuessingRule, { guesses, now, digest }: Ports): Check {
  const counts = countsOf(rule);
  const note = (exchange: Exchange, found: Finding): Finding => {
    const entry = entryOf(found.code);
    if (entry.says === 'fails' && entry.status === 401 && !NO_GUESS.has(found.code)) guesses.take(demandsOf(counts, exchange, digest), now());
    return found;
  };
  return {
    ...check,
    run: (exchange) => {
      const found = check.run(exchange);
      return found instanceof Promise ? found.then((later) => note(exchange, later)) : note(exchange, found);
    },
  };
}

type Count = Pick<Demand, 'group' | 'measure'>;

interface Counts {
  readonly address: Count | null;
  readonly credential: Count | null;
}

/** What is counted in another span is counted apart. */
function countsOf({ seconds, byAddress, byCredential }: GuessingRule): Counts {
  const count = (by: string, requests: number | null): Count | null =>
    requests === null ? null : { group: `guess ${by} ${seconds}`, measure: { kind: 'sliding', requests, spanMs: seconds * 1000 } };
  return { address: count('address', byAddress), credential: count('credential', byCredential) };
}

function demandsOf({ address, credential }: Counts, exchange: Exchange, digest: Ports['digest']): (Demand & { readonly by: 'address' | 'credential' })[] {
  const demands: (Demand & { readonly by: 'address' | 'credential' })[] = [];
  if (address !== null) demands.push({ ...address, subject: subjectOf({ kind: 'address' }, exchange), mode: 'observe', by: 'address' });
  if (credential !== null) for (const sent of exchange.sent) demands.push({ ...credential, subject: nameOf(sent, digest), mode: 'observe', by: 'credential' });
  return demands;
}

/** Guesses at the secret of one Basic name count together, whatever is guessed. */
function nameOf({ kind, text }: SentCredential, digest: Ports['digest']): string {
  const basic = kind === 'basic' ? readBasic(text) : null;
  return `${kind} ${digest(basic !== null && 'name' in basic ? basic.name : text)}`;
}
