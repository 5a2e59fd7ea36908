import { placeIn, sampleValues, tryCondition, type ConditionScope, type TracedCaller, type TriedCondition } from '@virga/core';
import { useMutation } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { TracePage, TraceView } from '@virga/protocol';
import { lazy, Suspense, useState } from 'react';
import { api as control, withQuery } from '../../client/api';
import { Mark, type MarkKind } from '../../parts/mark';

const CodeEditor = lazy(() => import('../../parts/code-editor'));

/** Conditions over values given by hand, or over those of a request that came: evaluated here by the code that the gateway runs. */
export function ConditionTry({
  conditions,
  scope,
  apiId,
  operation,
}: {
  readonly conditions: readonly { readonly name: string; readonly source: string }[];
  readonly scope: ConditionScope;
  readonly apiId: string;
  /** The operation whose requests are looked for; null for any of the API. */
  readonly operation: { readonly id: string; readonly method: string; readonly path: string } | null;
}) {
  const method = operation?.method ?? 'GET';
  const readsBody = conditions.some(({ source }) => /\bbody\b/.test(source));
  const request = { method, path: operation?.path ?? '/', ...(readsBody ? { body: {} } : {}) };
  const [text, setText] = useState(() => JSON.stringify(sampleValues(scope, request, Date.now()), null, 1));
  const last = useMutation({
    mutationFn: async () => {
      const { items } = await control.get<TracePage>(withQuery('/traces', { api: apiId, operation: operation?.id, limit: '1' }));
      const [newest] = items;
      return newest ? control.get<TraceView>(`/traces/${newest.id}`) : null;
    },
    onSuccess: (trace) => {
      if (trace) setText(JSON.stringify(valuesOf(trace, scope, operation?.path ?? null, readsBody), null, 1));
    },
  });
  let values: unknown = null;
  let unread = '';
  try {
    values = JSON.parse(text);
  } catch (error) {
    unread = (error as Error).message;
  }
  return (
    <section className="stack" style={{ gap: 6 }}>
      <h3 style={{ margin: 0 }}>Try it</h3>
      <Suspense fallback={<div style={{ height: 190 }} />}>
        <CodeEditor value={text} format="json" onChange={setText} height="190px" label="Values to try it with" bare />
      </Suspense>
      <div className="row wrap small">
        <button type="button" className="link" onClick={() => last.mutate()}>
          take them from the last request that came
        </button>
        {last.data === null && <span className="ochre">none has come in that is kept</span>}
        {last.data && (
          <span className="quiet">
            {last.data.who === null ? 'of who called only the name' : 'of who called what its trace kept'}
            {readsBody ? ', and of its body nothing' : ''}: put in the rest by hand
          </span>
        )}
      </div>
      <ProblemNotice error={last.error} />
      <ul style={{ listStyle: 'none', margin: 0, padding: 0 }} aria-label="What the conditions come to" aria-live="polite">
        {unread !== '' && <li className="rust">The values are no JSON: {unread}</li>}
        {unread === '' && conditions.map(({ name, source }) => <Result key={name} name={name} source={source} tried={tryCondition(source, scope, values)} />)}
      </ul>
    </section>
  );
}

function Result({ name, source, tried }: { readonly name: string; readonly source: string; readonly tried: TriedCondition }) {
  const [kind, word, says] = wordsOf(tried, source);
  return (
    <li>
      <Mark kind={kind} word={word} /> <b>{name === '' ? 'without a name' : name}</b> {word}
      {says !== '' && <>: {says}</>}
    </li>
  );
}

function wordsOf(tried: TriedCondition, source: string): readonly [MarkKind, string, string] {
  switch (tried.kind) {
    case 'met':
      return ['passed', 'holds', ''];
    case 'not-met':
      return ['refused', 'does not hold', `${tried.part.source} is false`];
    case 'error': {
      const { line, column } = placeIn(source, tried.at);
      return ['refused', 'comes to no answer and refuses', `${tried.says} (line ${line}, column ${column})`];
    }
    case 'faults':
      return ['unknown', 'cannot be used yet', tried.faults[0]?.says ?? ''];
    case 'values':
      return ['unknown', 'cannot be tried with these values', tried.says];
  }
}

/** What a trace kept of the values that conditions look at. */
function valuesOf(trace: TraceView, scope: ConditionScope, template: string | null, readsBody: boolean): unknown {
  const { principal, credentials, request, ...sample } = sampleValues(scope, { method: trace.method, path: trace.path }, trace.at);
  const { parameters, body } = request as { readonly parameters: object; readonly body?: unknown };
  return {
    ...sample,
    principal: trace.who === null ? { ...(principal as object), ...(trace.subject === null ? {} : { subject: trace.subject }) } : principalOf(trace.who, scope),
    credentials: trace.who === null ? credentials : [...(trace.who.principal === null ? [] : ['token']), ...trace.who.credentials.map(({ kind }) => kind)],
    client: trace.client === null ? {} : { id: trace.client },
    request: {
      method: trace.method,
      path: trace.path,
      ...(trace.operationId === null ? {} : { operation: trace.operationId }),
      parameters: template === null ? parameters : parametersIn(trace.path, template),
      query: Object.fromEntries(new URLSearchParams(trace.query)),
      headers: Object.fromEntries(
        trace.requestHeaders.filter(({ value }) => !value.includes('<removed')).map(({ name, value }) => [name.toLowerCase(), value]),
      ),
      address: trace.address,
      ...(trace.requestBytes > 0 && (readsBody || body !== undefined) ? { body: body ?? {} } : {}),
    },
  };
}

/** What nobody vouched for is not there. */
function principalOf({ principal }: TracedCaller, { attributes: known }: ConditionScope): object {
  if (principal === null) return {};
  const { subject, tenant, scopes, roles, groups, acr, amr, authTime, attributes } = principal;
  const texts = Object.entries({ subject, tenant, acr }).filter(([, value]) => value !== null);
  const own = Object.entries(attributes).filter(([name, values]) => values.length > 0 && (known === null || known.includes(name)));
  return {
    ...Object.fromEntries(texts),
    ...{ scopes, roles, groups, amr },
    ...(authTime === null ? {} : { signedInAt: new Date(authTime * 1000).toISOString() }),
    attributes: Object.fromEntries(own),
  };
}

/** Parameters that are whole segments, read from the end: the template stands below a base path. */
function parametersIn(path: string, template: string): Record<string, string> {
  const segments = path.split('/').reverse();
  const names = template.split('/').reverse();
  return Object.fromEntries(
    names.flatMap((name, index) => (/^\{[^{}]+\}$/.test(name) ? [[name.slice(1, -1), decodeURIComponent(segments[index] ?? '')]] : [])),
  );
}
