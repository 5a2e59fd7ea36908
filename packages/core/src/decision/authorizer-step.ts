import type { AnswerGrounds, AnswerKey } from '../authorizer/answer-memory.js';
import type { NotAsked } from '../authorizer/ask.js';
import { readScriptAnswer, type AuthorizerAnswer } from '../authorizer/read-answer.js';
import { readDecision } from '../authorizer/read-decision.js';
import type { ScriptRun } from '../authorizer/script-sandbox.js';
import { hiddenBy, hiddenMember, NO_BODY, type Hidden } from '../authorizer/cache-key.js';
import { compileQuestion, sayQuestionFault, type CompiledQuestion } from '../authorizer/service-question.js';
import type { DirectorySource } from '../directory/facts.js';
import type { TableRows } from '../directory/table-fact.js';
import { AUTHORIZER_BOUNDS, type AuthorizerRule, type ScriptSource, type ServiceSource } from '../document/authorizer-rule.js';
import { canonicalJson } from '../util/canonical-json.js';
import { ConfigError } from '../util/config-error.js';
import { finding, type Finding } from '../verdict/codes.js';
import { compileAnswerKey, type AnswerKeyOf } from './answer-key.js';
import type { Check } from './compiled.js';
import { compileVariables, inputOf } from './condition-variables.js';
import type { Exchange } from './exchange.js';
import type { Ports } from './ports.js';
import { UnreadInput } from './query-pairs.js';
import { looksAtBody } from './request-body.js';

/** What an authorizer is asked with: of a request, or of a case. Both throw in words for what cannot be read. */
export interface AskedWith {
  /** What a script is given, tables apart. */
  readonly input: () => Readonly<Record<string, unknown>>;
  /** Variables of expressions. */
  readonly variables: () => Readonly<Record<string, unknown>>;
  readonly tables: ReadonlyMap<string, TableRows>;
}

type Ask = (asked: AskedWith) => Promise<AuthorizerAnswer | Finding>;

/** An authorizer ready to be asked. */
export interface CompiledAuthorizer {
  readonly rule: AuthorizerRule;
  /** Which kept answer would be that to a request; null where none are kept. */
  readonly keyOf: AnswerKeyOf | null;
  readonly ask: Ask;
  readonly tables: readonly string[];
  /** Whether it is shown the request's body. */
  readonly readsBody: boolean;
  /** Members that its question looks at; of a script nobody knows. */
  readonly variablesOf: ReturnType<typeof compileVariables> | null;
}

/** What was asked of an authorizer for one request, before anything waits: the answer that was kept, or how to ask. */
function beginAsking(authorizer: CompiledAuthorizer, exchange: Exchange, ports: Ports): Finding | (() => Promise<Finding>) {
  const { rule, keyOf, tables: names } = authorizer;
  const nowMs = ports.now();
  const directory = ports.directory();
  const tables: TableRows[] = [];
  for (const table of names) {
    const rows = directory.table(table);
    if (rows === null) return fault(rule.name, `there is no table ${table}`);
    tables.push(rows);
  }
  if (keyOf === null) return howToAsk({ authorizer, exchange, nowMs, directory, tables }, null, ports);
  const grounds: AnswerGrounds = { tables, revocations: ports.revocations() };
  const key = keyOf(exchange);
  const kept = ports.authorizers.answers.find(key, grounds, nowMs);
  return kept === null ? howToAsk({ authorizer, exchange, nowMs, directory, tables }, { key, grounds }, ports) : concluded(rule, kept, 'kept', exchange);
}

/** Apart from what finds a kept answer, which is to make nothing that it does not need. @param keep where the answer is kept; null for nowhere */
function howToAsk(asked: AskedNow, keep: { readonly key: AnswerKey; readonly grounds: AnswerGrounds } | null, ports: Ports): () => Promise<Finding> {
  const { exchange, nowMs, authorizer } = asked;
  const { rule } = authorizer;
  const { answers } = ports.authorizers;
  const { drops } = answers;
  return async () => {
    const answer = await askNow(asked);
    if (keep !== null && 'says' in answer) {
      const until = Math.min(nowMs + 1000 * Math.min(rule.cache?.seconds ?? 0, answer.seconds ?? Infinity), endOf(exchange));
      if (until > nowMs) answers.keep(keep.key, keep.grounds, answer, until, drops);
    }
    return concluded(rule, answer, 'asked', exchange);
  };
}

interface AskedNow {
  readonly authorizer: CompiledAuthorizer;
  readonly exchange: Exchange;
  readonly nowMs: number;
  readonly directory: DirectorySource;
  /** Rows of its tables, in their order. */
  readonly tables: readonly TableRows[];
}

function askNow({ authorizer, exchange, nowMs, directory, tables }: AskedNow): Promise<AuthorizerAnswer | Finding> {
  const { tables: names, readsBody, variablesOf } = authorizer;
  return authorizer.ask({
    input: () => inputOf(exchange, nowMs, readsBody),
    variables: () => variablesOf?.(exchange, nowMs, directory) ?? {},
    tables: new Map(tables.map((rows, index) => [names[index] as string, rows])),
  });
}

/** The moment at which the first of the credentials ends, milliseconds since the epoch. */
function endOf({ credentials }: Exchange): number {
  let end = Infinity;
  for (const credential of credentials) {
    const { holder } = credential;
    if (credential.kind === 'token') {
      const { exp } = credential.token.claims;
      end = Math.min(end, credential.token.usableUntil, typeof exp === 'number' ? exp * 1000 : Infinity);
    }
    if (holder?.credential.expiresAt) end = Math.min(end, holder.credential.expiresAt);
  }
  return end;
}

function concluded(rule: AuthorizerRule, answer: AuthorizerAnswer | Finding, from: 'asked' | 'kept', exchange: Exchange): Finding {
  if (!('code' in answer) && answer.says === 'allow' && Object.keys(answer.headers).length > 0) exchange.passed = { ...exchange.passed, ...answer.headers };
  return findingOfAnswer(rule, answer, from);
}

/** An answer as what was found. */
export function findingOfAnswer({ name }: Pick<AuthorizerRule, 'name'>, answer: AuthorizerAnswer | Finding, from: 'asked' | 'kept'): Finding {
  if ('code' in answer) return answer;
  const { says, reason, tell } = answer;
  if (says === 'deny') return finding('authorizer.denied', { name, reason, told: tell, from });
  if (says === 'sign-in') return finding('authorizer.sign-in', { name, reason, told: tell, from });
  return finding('authorizer.allowed', { name, reason, from });
}

/**
 * Compiles an authorizer, once for all operations that call it.
 * @throws ConfigError for a question that cannot be asked; scripts are checked with the document
 */
export function compileAuthorizer(rule: AuthorizerRule, at: string, ports: Ports): CompiledAuthorizer {
  const { by, passes, cache } = rule;
  // One text for all that its answers hang on beside the request; what it is called, and its cases, change no answer.
  const identity = ports.digest(canonicalJson({ by, passes, cache }));
  const hidden = cache === null ? null : hiddenBy(cache.key);
  const keyOf = cache === null ? null : compileAnswerKey(rule.name, identity, cache.key, ports.digest);
  if (by.kind === 'script') {
    const shown = hidden ?? (by.body ? null : NO_BODY);
    return {
      rule,
      keyOf,
      tables: by.tables,
      readsBody: by.body,
      variablesOf: null,
      ask: askScript(rule.name, by, passes, { identity, hidden: shown }, ports),
    };
  }
  const question = compileQuestion(by.question);
  if (!('write' in question)) throw new ConfigError(`${at}/by/question${question.pointer}`, sayQuestionFault(question, by.question));
  const member = hidden && hiddenMember(question.looksAt, hidden);
  if (member !== null) throw new ConfigError(`${at}/cache/key`, `the question looks at ${member}, which is no part of the key of its kept answers`);
  const tables = [...new Set(question.looksAt.flatMap(([root, table]) => (root === 'resource' && table !== undefined ? [table] : [])))];
  const readsBody = looksAtBody(question.looksAt);
  return { rule, keyOf, tables, readsBody, variablesOf: compileVariables(question.looksAt), ask: askService(rule.name, by, question, ports) };
}

function askScript(
  name: string,
  script: ScriptSource,
  passes: readonly string[],
  { identity, hidden }: { readonly identity: string; readonly hidden: Hidden | null },
  { authorizers }: Ports,
): Ask {
  const callee = { identity, script };
  return async ({ input: given, tables }) => {
    let input: string;
    try {
      input = JSON.stringify(given());
    } catch (error) {
      return unread(name, error) ?? fault(name, (error as Error).message);
    }
    const run = await authorizers.run(callee, { input, tables, hidden });
    if (run.kind !== 'answer') return findingOfRun(name, run, script);
    const answer = readScriptAnswer(run.text, passes);
    return typeof answer === 'string' ? finding('authorizer.answer', { name, says: answer }) : answer;
  };
}

const fault = (name: string, says: string): Finding => finding('authorizer.fault', { name, says: says.slice(0, AUTHORIZER_BOUNDS.reason), line: 0, column: 0 });

const unread = (name: string, error: unknown): Finding | null =>
  error instanceof UnreadInput ? finding('authorizer.unread', { name, says: error.message.slice(0, AUTHORIZER_BOUNDS.reason) }) : null;

function findingOfRun(
  name: string,
  run: Exclude<ScriptRun, { kind: 'answer' }> | NotAsked,
  { timeMs, megabytes }: { readonly timeMs: number; readonly megabytes: number },
): Finding {
  switch (run.kind) {
    case 'time':
      return finding('authorizer.time', { name, limitMs: timeMs });
    case 'memory':
      return finding('authorizer.memory', { name, megabytes });
    case 'fault':
      return finding('authorizer.fault', { name, says: run.says, line: run.line, column: run.column });
    case 'busy':
    case 'unavailable':
      return finding(`authorizer.${run.kind}`, { name, says: run.says });
  }
}

function askService(name: string, service: ServiceSource, question: CompiledQuestion, ports: Ports): Ask {
  return async ({ variables }) => {
    let body: string;
    try {
      body = question.write(variables());
    } catch (error) {
      // The request has not what is to be said of it.
      return unread(name, error) ?? finding('authorizer.question', { name, says: (error as Error).message.slice(0, AUTHORIZER_BOUNDS.reason) });
    }
    const reply = await ports.authorizers.ask(service, body);
    if (reply.kind !== 'answer') return finding(`authorizer.${reply.kind}`, { name, says: reply.says });
    const answer = readDecision(reply.status, reply.text, service);
    if (typeof answer === 'string') return finding('authorizer.answer', { name, says: answer });
    return 'unavailable' in answer ? finding('authorizer.unavailable', { name, says: answer.unavailable }) : answer;
  };
}

/** One step for each authorizer of an operation. @throws ConfigError for a name that none has */
export function compileAuthorizers(names: readonly string[], known: ReadonlyMap<string, CompiledAuthorizer>, at: string, ports: Ports): Check[] {
  return names.map((name, index) => {
    const authorizer = known.get(name);
    if (!authorizer) throw new ConfigError(`${at}/${index}`, `there is no authorizer called ${name.slice(0, 60)}`);
    const { rule, readsBody } = authorizer;
    return { step: 'authorizer', about: null, run: (exchange) => counted(authorizer, exchange, ports), hangsOn: { kind: 'authorizer', rule }, readsBody };
  });
}

/** Asks, and tells what came of it. An answer that was kept is found without waiting, and without looking at the clock. */
function counted(authorizer: CompiledAuthorizer, exchange: Exchange, ports: Ports): Finding | Promise<Finding> {
  const { name } = authorizer.rule;
  const begun = beginAsking(authorizer, exchange, ports);
  return typeof begun === 'function' ? timed(name, begun, ports) : told(name, begun, 0, ports);
}

async function timed(name: string, ask: () => Promise<Finding>, ports: Ports): Promise<Finding> {
  const from = ports.ticks();
  const found = await ask();
  return told(name, found, ports.ticks() - from, ports);
}

function told(name: string, found: Finding, tookMs: number, { authorizers }: Ports): Finding {
  const { operands, code } = found;
  const outcome = code === 'authorizer.allowed' ? 'allow' : code === 'authorizer.denied' ? 'deny' : code === 'authorizer.sign-in' ? 'sign-in' : 'failed';
  authorizers.told({ name, outcome, kept: 'from' in operands && operands.from === 'kept', tookMs });
  return found;
}
