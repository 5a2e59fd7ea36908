import { AUTHORIZER_BOUNDS } from '@virga/core';
import { Field } from '@virga/parts';
import type { ServiceDto, ServicePropertyDto, ServiceView } from '@virga/protocol';
import { TextList } from '../../parts/text-list';
import { errorAt } from './errors';

const WHOSE = ['subject', 'action', 'resource', 'context'] as const;
const [LEAST_MS, MOST_MS] = AUTHORIZER_BOUNDS.timeoutMs;

/** A decision service: where it is, how it is asked, and what of its answer asks the caller to sign in again. */
export function ServiceFields({
  service,
  kept,
  onChange,
  error,
}: {
  readonly service: ServiceDto;
  /** As it is saved; null for a new one. */
  readonly kept: ServiceView | null;
  readonly onChange: (service: ServiceDto) => void;
  readonly error: unknown;
}) {
  const { question, credential, signIn } = service;
  const ask = (change: Partial<ServiceDto['question']>) => onChange({ ...service, question: { ...question, ...change } });
  const set = (index: number, change: Partial<ServicePropertyDto>) =>
    ask({ properties: question.properties.map((property, at) => (at === index ? { ...property, ...change } : property)) });
  const text = (id: string, label: string, member: 'subjectType' | 'subjectId' | 'action' | 'resourceType' | 'resourceId', hint?: string) => (
    <Field id={id} label={label} hint={hint} error={errorAt(error, `/service/question/${member}`)}>
      <input id={id} className="mono" spellCheck={false} value={question[member]} onChange={(event) => ask({ [member]: event.target.value })} />
    </Field>
  );
  return (
    <div className="stack" style={{ gap: 12 }}>
      <div className="row wrap" style={{ alignItems: 'flex-start' }}>
        <div className="grow">
          <Field id="service-url" label="Address of its access evaluation" hint="OpenID AuthZEN Authorization API 1.0" error={errorAt(error, '/service/url')}>
            <input
              id="service-url"
              className="mono"
              spellCheck={false}
              placeholder="https://decides.example/access/v1/evaluation"
              value={service.url}
              onChange={(event) => onChange({ ...service, url: event.target.value })}
            />
          </Field>
        </div>
        <Field id="service-time" label="Time, milliseconds" error={errorAt(error, '/service/timeoutMs')}>
          <input
            id="service-time"
            type="number"
            style={{ width: 100 }}
            min={LEAST_MS}
            max={MOST_MS}
            value={service.timeoutMs}
            onChange={(event) => onChange({ ...service, timeoutMs: event.target.valueAsNumber })}
          />
        </Field>
      </div>
      <div className="row wrap" style={{ alignItems: 'flex-start' }}>
        <Field id="service-proof" label="The gateway proves itself by">
          <select
            id="service-proof"
            value={credential?.kind ?? ''}
            onChange={(event) => onChange({ ...service, credential: event.target.value === '' ? null : { kind: event.target.value as 'bearer' | 'basic' } })}
          >
            <option value="">nothing</option>
            <option value="bearer">a bearer token</option>
            <option value="basic">a name and a secret</option>
          </select>
        </Field>
        {credential?.kind === 'basic' && (
          <Field id="service-name" label="Name" error={errorAt(error, '/service/credential/name')}>
            <input
              id="service-name"
              value={credential.name ?? ''}
              onChange={(event) => onChange({ ...service, credential: { ...credential, name: event.target.value } })}
            />
          </Field>
        )}
        {credential && (
          <Field
            id="service-secret"
            label={credential.kind === 'bearer' ? 'Token' : 'Secret'}
            hint={kept?.credential ? 'one is kept; give another to replace it' : 'kept sealed, never shown'}
            error={errorAt(error, '/service/credential/secret')}
          >
            <input
              id="service-secret"
              type="password"
              autoComplete="off"
              value={credential.secret ?? ''}
              onChange={(event) => {
                const { secret: _before, ...rest } = credential;
                onChange({ ...service, credential: event.target.value === '' ? rest : { ...rest, secret: event.target.value } });
              }}
            />
          </Field>
        )}
        <label className="check" style={{ alignSelf: 'center' }}>
          <input type="checkbox" checked={service.allowLoopbackHttp} onChange={(event) => onChange({ ...service, allowLoopbackHttp: event.target.checked })} />{' '}
          plain http, on loopback only
        </label>
        <Field id="service-hosts" label="Private hosts that it may be at" error={errorAt(error, '/service/privateHosts')}>
          <TextList id="service-hosts" value={service.privateHosts} onChange={(privateHosts) => onChange({ ...service, privateHosts })} />
        </Field>
      </div>
      <h3 style={{ margin: 0 }}>What it is asked</h3>
      <div style={{ display: 'grid', gridTemplateColumns: 'minmax(0, 1fr) minmax(0, 2fr)', columnGap: 20, rowGap: 8 }}>
        {text('question-subject-type', 'Type of the subject', 'subjectType')}
        {text('question-subject', 'The subject, in CEL', 'subjectId')}
        <span />
        {text('question-action', 'The action, in CEL', 'action')}
        {text('question-resource-type', 'Type of the resource', 'resourceType')}
        {text('question-resource', 'The resource, in CEL', 'resourceId')}
      </div>
      {question.properties.map((property, index) => (
        <div key={index} className="row" style={{ alignItems: 'flex-end' }}>
          <Field id={`property-${index}-of`} label="Of">
            <select id={`property-${index}-of`} value={property.of} onChange={(event) => set(index, { of: event.target.value as ServicePropertyDto['of'] })}>
              {WHOSE.map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </Field>
          <Field id={`property-${index}-name`} label="Property" error={errorAt(error, `/service/question/properties/${index}/name`)}>
            <input id={`property-${index}-name`} style={{ width: 150 }} value={property.name} onChange={(event) => set(index, { name: event.target.value })} />
          </Field>
          <div className="grow">
            <Field id={`property-${index}-value`} label="Its value, in CEL" error={errorAt(error, `/service/question/properties/${index}/value`)}>
              <input
                id={`property-${index}-value`}
                className="mono"
                spellCheck={false}
                value={property.value}
                onChange={(event) => set(index, { value: event.target.value })}
              />
            </Field>
          </div>
          <button type="button" className="link small" onClick={() => ask({ properties: question.properties.filter((_, at) => at !== index) })}>
            drop
          </button>
        </div>
      ))}
      <div>
        <button type="button" className="link" onClick={() => ask({ properties: [...question.properties, { of: 'context', name: '', value: '' }] })}>
          send a property
        </button>
      </div>
      <label className="check">
        <input
          type="checkbox"
          checked={signIn !== null}
          onChange={(event) => onChange({ ...service, signIn: event.target.checked ? { pointer: '/context/code', value: '' } : null })}
        />{' '}
        part of its answer says that the caller should sign in again: 401 in place of 403
      </label>
      {signIn && (
        <div className="row wrap">
          <Field id="sign-in-pointer" label="Where, as a JSON pointer" error={errorAt(error, '/service/signIn/pointer')}>
            <input
              id="sign-in-pointer"
              className="mono"
              value={signIn.pointer}
              onChange={(event) => onChange({ ...service, signIn: { ...signIn, pointer: event.target.value } })}
            />
          </Field>
          <Field id="sign-in-value" label="What stands there" error={errorAt(error, '/service/signIn/value')}>
            <input
              id="sign-in-value"
              className="mono"
              value={signIn.value}
              onChange={(event) => onChange({ ...service, signIn: { ...signIn, value: event.target.value } })}
            />
          </Field>
        </div>
      )}
    </div>
  );
}
