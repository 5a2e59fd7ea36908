import { AUTHORIZER_ANSWERS, type AuthorizerSays } from '@virga/core';
import { Field } from '@virga/parts';
import type { AuthorizerCaseDto, TriedView } from '@virga/protocol';
import { lazy, Suspense, useState } from 'react';
import { Mark } from '../../parts/mark';
import { milliseconds } from './cost';

const CodeEditor = lazy(() => import('../../parts/code-editor'));
const WORDS: Readonly<Record<AuthorizerSays, string>> = { allow: 'allowed', deny: 'denied', 'sign-in': 'sign in again', error: 'no answer' };

/** Inputs with the answer that is expected, and the one that a node gives now. */
export function CaseList({
  cases,
  tried,
  waiting,
  onChange,
  onAdd,
}: {
  readonly cases: readonly AuthorizerCaseDto[];
  /** In the order of the cases; null while it cannot be asked. */
  readonly tried: readonly TriedView[] | null;
  readonly waiting: boolean;
  readonly onChange: (cases: AuthorizerCaseDto[]) => void;
  readonly onAdd: () => void;
}) {
  const [open, setOpen] = useState<number | null>(null);
  const set = (index: number, change: Partial<AuthorizerCaseDto>) => onChange(cases.map((one, at) => (at === index ? { ...one, ...change } : one)));
  const failing = tried ? cases.filter(({ expected }, index) => tried[index] && tried[index].says !== expected).length : 0;
  return (
    <section className="stack" style={{ gap: 8 }}>
      <div className="row">
        <h2>Cases</h2>
        <span className={failing > 0 ? 'rust small' : 'quiet small'} role="status">
          {cases.length === 0
            ? ''
            : waiting
              ? 'asking a node…'
              : tried === null
                ? 'not run yet'
                : failing === 0
                  ? 'all hold'
                  : `${failing} of ${cases.length} do not hold`}
        </span>
      </div>
      {cases.length === 0 && (
        <p className="quiet" style={{ margin: 0 }}>
          An input and the answer that is expected. They run with every edit, and again before publishing, which they can stop.
        </p>
      )}
      <ol className="cases" style={{ listStyle: 'none', margin: 0, padding: 0 }}>
        {cases.map((one, index) => (
          <li key={index} style={{ borderTop: '1px solid var(--hairline)', padding: '6px 0' }}>
            <Case
              one={one}
              index={index}
              tried={tried?.[index] ?? null}
              isOpen={open === index}
              onOpen={() => setOpen(open === index ? null : index)}
              onChange={(change) => set(index, change)}
              onDrop={() => {
                setOpen(null);
                onChange(cases.filter((_, at) => at !== index));
              }}
            />
          </li>
        ))}
      </ol>
      <div>
        <button
          type="button"
          className="link"
          onClick={() => {
            setOpen(cases.length);
            onAdd();
          }}
        >
          add a case
        </button>
      </div>
    </section>
  );
}

function Case({
  one,
  index,
  tried,
  isOpen,
  onOpen,
  onChange,
  onDrop,
}: {
  readonly one: AuthorizerCaseDto;
  readonly index: number;
  readonly tried: TriedView | null;
  readonly isOpen: boolean;
  readonly onOpen: () => void;
  readonly onChange: (change: Partial<AuthorizerCaseDto>) => void;
  readonly onDrop: () => void;
}) {
  const holds = tried !== null && tried.says === one.expected;
  return (
    <div className="stack" style={{ gap: 4 }}>
      <div className="row" style={{ alignItems: 'baseline' }}>
        {tried === null ? <Mark kind="unknown" word="not run" /> : holds ? <Mark kind="passed" word="holds" /> : <Mark kind="refused" word="does not hold" />}
        <button type="button" className="link grow" style={{ textAlign: 'left' }} aria-expanded={isOpen} onClick={onOpen}>
          {one.name || `case ${index + 1}`}
        </button>
        <span className="small quiet">{tried ? milliseconds(tried.tookMs) : ''}</span>
      </div>
      {tried && (
        <div className={holds ? 'small quiet' : 'small rust'} style={{ paddingLeft: 23, overflowWrap: 'anywhere' }}>
          {holds ? '' : `${WORDS[one.expected]} expected. `}
          {tried.sentence}
          {tried.headers.length > 0 && ` Passes up ${tried.headers.map(({ name, value }) => `${name}: ${value}`).join(', ')}.`}
        </div>
      )}
      {tried && <Covers tried={tried} />}
      {isOpen && (
        <div className="stack" style={{ gap: 8, paddingLeft: 23 }}>
          <div className="row" style={{ alignItems: 'flex-end' }}>
            <div className="grow">
              <Field id={`case-${index}-name`} label="Name">
                <input id={`case-${index}-name`} maxLength={100} value={one.name} onChange={(event) => onChange({ name: event.target.value })} />
              </Field>
            </div>
            <Field id={`case-${index}-expected`} label="Expected">
              <select id={`case-${index}-expected`} value={one.expected} onChange={(event) => onChange({ expected: event.target.value as AuthorizerSays })}>
                {AUTHORIZER_ANSWERS.map((answer) => (
                  <option key={answer} value={answer}>
                    {WORDS[answer]}
                  </option>
                ))}
              </select>
            </Field>
            <button type="button" className="link small" onClick={onDrop}>
              drop
            </button>
          </div>
          <Suspense fallback={<div style={{ height: 200 }} />}>
            <CodeEditor
              value={one.input}
              format="json"
              height="200px"
              label={`Input of ${one.name || `case ${index + 1}`}`}
              onChange={(input) => onChange({ input })}
              bare
            />
          </Suspense>
        </div>
      )}
    </div>
  );
}

/** What an answer is good for beyond the request that it was asked about. */
function Covers({ tried }: { readonly tried: TriedView }) {
  if (tried.covers.length === 0) return null;
  return (
    <ul className="small" style={{ margin: 0, paddingLeft: 38 }} aria-label="What the answer covers">
      {tried.covers.map(({ method, path, operations }) => (
        <li key={`${method} ${path}`}>
          <span className="mono">
            {method} {path}
          </span>
          : {operations.length === 0 ? <span className="quiet">no operation that calls it</span> : operations.join(', ')}
        </li>
      ))}
    </ul>
  );
}
