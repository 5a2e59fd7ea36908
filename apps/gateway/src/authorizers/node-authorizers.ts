import {
  AnswerMemory,
  type AuthorizerCall,
  type Authorizers,
  type NotAsked,
  type ScriptCall,
  type ScriptCallee,
  type ScriptRun,
  type SecretSource,
  type ServiceReply,
  type ServiceSource,
} from '@virga/core';
import { DecisionServices } from '@virga/outbound';
import type { NodeAuthorizerReport } from '@virga/protocol/node';
import { CallTimes } from './call-times.js';
import { ScriptPool } from './script-pool.js';

interface Counted {
  readonly outcomes: Record<AuthorizerCall['outcome'], number>;
  kept: number;
  readonly times: CallTimes;
}

/** Authorizers that are counted; names come from releases. */
const MAX_COUNTED = 500;

/** Runs scripts and asks services for a node, keeps their answers, and counts what they cost. Belongs to the node: a release takes nothing of it along. */
export class NodeAuthorizers implements Authorizers {
  readonly answers = new AnswerMemory();
  readonly #pool: ScriptPool;
  readonly #services: DecisionServices;
  readonly #counted = new Map<string, Counted>();

  constructor(secrets: SecretSource, log: (text: string) => void) {
    this.#pool = new ScriptPool(log);
    this.#services = new DecisionServices(secrets, Date.now);
  }

  run(callee: ScriptCallee, call: ScriptCall): Promise<ScriptRun | NotAsked> {
    return this.#pool.run(callee, call);
  }

  ask(service: ServiceSource, body: string): Promise<ServiceReply> {
    return this.#services.ask(service, body);
  }

  told({ name, outcome, kept, tookMs }: AuthorizerCall): void {
    let counted = this.#counted.get(name);
    if (!counted) {
      if (this.#counted.size >= MAX_COUNTED) return;
      this.#counted.set(name, (counted = { outcomes: { allow: 0, deny: 0, 'sign-in': 0, failed: 0 }, kept: 0, times: new CallTimes() }));
    }
    counted.outcomes[outcome]++;
    if (kept) counted.kept++;
    else counted.times.add(tookMs);
  }

  /** What each cost since the node started. */
  report(): NodeAuthorizerReport[] {
    return [...this.#counted].map(([name, { outcomes, kept, times }]) => ({
      name,
      allowed: outcomes.allow,
      denied: outcomes.deny,
      signIn: outcomes['sign-in'],
      failed: outcomes.failed,
      kept,
      times: times.counts,
    }));
  }

  async close(): Promise<void> {
    await Promise.all([this.#pool.stop(), this.#services.close()]);
  }
}
