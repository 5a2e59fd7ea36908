import type { ScriptSource, ServiceSource } from '../document/authorizer-rule.js';
import type { AnswerMemory } from './answer-memory.js';
import type { ScriptCall, ScriptRun } from './script-sandbox.js';

/** Why nothing was asked, or nothing came back. */
export type NotAsked = { readonly kind: 'busy' | 'unavailable'; readonly says: string };

/** A script ready to be called, wherever it runs. `identity` is one text for all that it is made of. */
export interface ScriptCallee {
  readonly identity: string;
  readonly script: ScriptSource;
}

/** What a service answered. */
export type ServiceReply = { readonly kind: 'answer'; readonly status: number; readonly text: string | null } | NotAsked;

/** What one call came to, for counts. */
export interface AuthorizerCall {
  readonly name: string;
  readonly outcome: 'allow' | 'deny' | 'sign-in' | 'failed';
  readonly kept: boolean;
  /** Of an answer that was asked for. */
  readonly tookMs: number;
}

/** What runs scripts and asks decision services for a decision. Nothing here rejects: why there is no answer is said. */
export interface Authorizers {
  run(callee: ScriptCallee, call: ScriptCall): Promise<ScriptRun | NotAsked>;
  /** @param body JSON text */
  ask(service: ServiceSource, body: string): Promise<ServiceReply>;
  /** Answers that may be used again. */
  readonly answers: AnswerMemory;
  /** Told of every answer, for counts. */
  told(call: AuthorizerCall): void;
}
