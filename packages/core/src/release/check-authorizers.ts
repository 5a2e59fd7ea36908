import { checkScript } from '../authorizer/check-script.js';
import { placeIn } from '../condition/condition-fault.js';
import { OPEN_SCOPE } from '../condition/condition-input.js';
import { isTableName } from '../directory/table-fact.js';
import {
  AUTHORIZER_BOUNDS,
  CACHE_KEY_PARTS,
  WHO_PARTS,
  type AnswerCacheRule,
  type AuthorizerRule,
  type ScriptSource,
  type ServiceSource,
} from '../document/authorizer-rule.js';
import { checkFieldName } from './check-message.js';
import { checkName, fail, unique, within } from './check-values.js';

const {
  authorizers: MOST,
  together,
  perRule,
  cases: CASES,
  tables: TABLES,
  passes: PASSES,
  keyParts,
  properties: PROPERTIES,
  input: INPUT,
} = AUTHORIZER_BOUNDS;

/** Checks authorizers: names, bounds, and that scripts can be read. @throws ConfigError */
export function* checkAuthorizers(authorizers: readonly AuthorizerRule[], at: string): Generator<void, void> {
  if (authorizers.length > MOST) fail(at, `there are at most ${MOST} authorizers`);
  unique(
    authorizers.map(({ name }) => name.toLowerCase()),
    (index) => `${at}/${index}/name`,
    'two authorizers have the same name',
  );
  let characters = 0;
  for (const [index, rule] of authorizers.entries()) {
    checkAuthorizer(rule, `${at}/${index}`);
    characters += JSON.stringify(rule).length;
    yield;
  }
  if (characters > together) fail(at, `authorizers and their cases have at most ${together} characters together; these have ${characters}`);
}

function checkAuthorizer({ name, by, passes, cache, cases }: AuthorizerRule, at: string): void {
  checkName(name, `${at}/name`);
  if (by.kind === 'script') checkScriptSource(by, `${at}/by`);
  else checkService(by, `${at}/by`);
  if (by.kind === 'script' && by.body && cache) fail(`${at}/cache`, 'answers that hang on a body are not kept: keep none, or do not show it bodies');
  if (passes.length > PASSES) fail(`${at}/passes`, `at most ${PASSES} header fields are passed up`);
  passes.forEach((field, index) => checkFieldName(field, `${at}/passes/${index}`));
  unique(passes, (index) => `${at}/passes/${index}`, 'a header field stands twice');
  if (cache) checkCache(cache, `${at}/cache`);
  if (cases.length > CASES) fail(`${at}/cases`, `an authorizer has at most ${CASES} cases`);
  unique(
    cases.map((one) => one.name),
    (index) => `${at}/cases/${index}/name`,
    'two cases have the same name',
  );
  for (const [index, { name: called, input }] of cases.entries()) {
    if (called.trim() === '' || called.length > 100) fail(`${at}/cases/${index}/name`, 'a case has a name of at most 100 characters');
    if (input.length > INPUT) fail(`${at}/cases/${index}/input`, `an input has at most ${INPUT} characters`);
  }
}

function checkScriptSource({ source, timeMs, megabytes, tables, body }: ScriptSource, at: string): void {
  within(timeMs, ...AUTHORIZER_BOUNDS.timeMs, `${at}/timeMs`);
  within(megabytes, ...AUTHORIZER_BOUNDS.megabytes, `${at}/megabytes`);
  if (!Number.isInteger(megabytes)) fail(`${at}/megabytes`, 'must be a whole number');
  if (tables.length > TABLES) fail(`${at}/tables`, `at most ${TABLES} tables are read`);
  tables.forEach((table, index) => {
    if (!isTableName(table)) fail(`${at}/tables/${index}`, `${table.slice(0, 60)} is no name of a table`);
  });
  unique(tables, (index) => `${at}/tables/${index}`, 'a table stands twice');
  const [first] = checkScript(source, { ...OPEN_SCOPE, body });
  if (!first) return;
  const { line, column } = placeIn(source, first.at);
  fail(`${at}/source`, `${first.says} (line ${line}, column ${column})`);
}

function checkService({ url, timeoutMs, question, signIn, allowLoopbackHttp }: ServiceSource, at: string): void {
  within(timeoutMs, ...AUTHORIZER_BOUNDS.timeoutMs, `${at}/timeoutMs`);
  const address = URL.canParse(url) ? new URL(url) : null;
  if (!address || !/^https?:$/.test(address.protocol) || address.hash !== '' || address.username !== '' || address.password !== '')
    fail(`${at}/url`, 'the address of the service is an absolute https URL without fragment and credentials');
  if (address?.protocol === 'http:' && !allowLoopbackHttp)
    fail(`${at}/url`, 'a service is asked over https; plain http has to be allowed, for a host on loopback');
  if (signIn && !/^(\/[^/]+)+$/.test(signIn.pointer)) fail(`${at}/signIn/pointer`, 'a JSON pointer such as /context/code');
  for (const member of ['subjectType', 'resourceType'] as const)
    if (question[member].trim() === '' || question[member].length > 100) fail(`${at}/question/${member}`, 'a text of 1 to 100 characters');
  if (question.properties.length > PROPERTIES) fail(`${at}/question/properties`, `at most ${PROPERTIES} properties are sent`);
  unique(
    question.properties.map((property) => `${property.of}.${property.name}`),
    (index) => `${at}/question/properties/${index}/name`,
    'a property stands twice',
  );
  question.properties.forEach(({ name }, index) => {
    if (name.trim() === '' || name.length > 100) fail(`${at}/question/properties/${index}/name`, 'a text of 1 to 100 characters');
  });
}

function checkCache({ seconds, key }: AnswerCacheRule, at: string): void {
  within(seconds, ...AUTHORIZER_BOUNDS.cacheSeconds, `${at}/seconds`);
  if (key.length > keyParts) fail(`${at}/key`, `a key has at most ${keyParts} parts`);
  unique(key, (index) => `${at}/key/${index}`, 'a part stands twice');
  key.forEach((part, index) => {
    if (part.startsWith('header:')) checkFieldName(part.slice('header:'.length), `${at}/key/${index}`);
    else if (!(CACHE_KEY_PARTS as readonly string[]).includes(part))
      fail(`${at}/key/${index}`, `a part is one of ${CACHE_KEY_PARTS.join(', ')}, or header: and a name`);
  });
  if (!key.some((part) => WHO_PARTS.has(part)))
    fail(`${at}/key`, 'say whose answer is kept: caller, subject, client or roles; or ANYBODY, for one answer to all callers');
}

/** Checks the names by which a rule calls authorizers. @throws ConfigError */
export function checkAuthorizerUses(names: readonly string[], known: ReadonlySet<string>, at: string): void {
  if (names.length > perRule) fail(at, `at most ${perRule} authorizers stand in one rule`);
  unique(names, (index) => `${at}/${index}`, 'an authorizer stands twice');
  names.forEach((name, index) => {
    if (!known.has(name)) fail(`${at}/${index}`, `there is no authorizer called ${name.slice(0, 60)}`);
  });
}
