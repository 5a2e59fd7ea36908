import { useMutation, useQuery } from '@tanstack/react-query';
import { Method } from '@virga/parts';
import type { ProbeView } from '@virga/protocol';
import { lazy, Suspense, useContext } from 'react';
import { api } from '../../client/api';
import { Mark } from '../../parts/mark';
import { personasQuery } from '../personas/queries';
import { sentHeaders } from './curl';
import { ProbeContext } from './probe-state';

const ProbeBody = lazy(() => import('./probe-body').then((module) => ({ default: module.ProbeBody })));

/** The drawer at the foot of every screen: compose a request, send it to the draft or to the live gateway, see why. */
export function ProbeDrawer() {
  const probe = useContext(ProbeContext);
  const { form, open, result } = probe;
  const { data: personas } = useQuery(personasQuery);
  const send = useMutation({
    mutationFn: () => {
      const { headers: _written, token, personaId, proof, body, from, ...rest } = form;
      const sender = form.sender === 'token' ? { token } : form.sender === 'persona' ? { personaId, proof } : {};
      return api.post<ProbeView>('/probe', {
        ...rest,
        ...sender,
        headers: sentHeaders(form),
        ...(body === '' ? {} : { body }),
        ...(from === '' || rest.against === 'live' ? {} : { from }),
      });
    },
    onMutate: () => probe.setResult(null),
    onSuccess: (view) => probe.setResult({ ...view, sent: form, at: Date.now() }),
  });
  const who =
    form.sender === 'persona'
      ? (personas?.items.find((item) => item.id === form.personaId)?.name ?? 'a persona')
      : form.sender === 'token'
        ? 'a pasted token'
        : 'nobody';
  const last = result?.steps[result.steps.length - 1];
  return (
    <section
      className="probe"
      aria-label="Probe"
      onKeyDown={(event) => {
        if (event.key === 'Enter' && (event.ctrlKey || event.metaKey) && open) {
          event.preventDefault();
          send.mutate();
        } else if (event.key === 'Escape' && open) probe.toggle();
      }}
    >
      <button className="probe-bar" onClick={probe.toggle} aria-expanded={open}>
        <b>Probe</b> <kbd>`</kbd>
        <span className="clip">
          <Method name={form.method} /> <span className="mono">{form.target}</span>
        </span>
        <span className="quiet hide-narrow">as</span> <span className="hide-narrow">{who}</span>
        <span className="quiet hide-narrow">against</span> <span className="hide-narrow">{form.against}</span>
        {result && last && (
          <span style={{ marginLeft: 'auto' }} className="quiet">
            last: <Mark kind={result.outcome} /> {result.answer ? result.answer.status : 'would pass'} {result.outcome === 'refused' && `at ${last.name}`}
          </span>
        )}
      </button>
      {open && (
        <Suspense fallback={null}>
          <ProbeBody sending={send.isPending} error={send.error} onSend={() => send.mutate()} />
        </Suspense>
      )}
    </section>
  );
}
