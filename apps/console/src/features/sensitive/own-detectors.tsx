import { patternFault } from '@virga/core';
import Button from '@mui/material/Button';
import Dialog from '@mui/material/Dialog';
import DialogActions from '@mui/material/DialogActions';
import DialogContent from '@mui/material/DialogContent';
import DialogTitle from '@mui/material/DialogTitle';
import { useMutation, useQueryClient } from '@tanstack/react-query';
import { ProblemNotice } from '@virga/parts';
import type { DetectorDto, SensitiveView, TriedDetectors } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';

const SAMPLE = '{"contact": "ada@orchard.example", "note": "call +49 30 901820"}';

/** Detectors of one's own, by patterns, and a text to try them and all others on. */
export function OwnDetectors({ data, onClose }: { readonly data: SensitiveView; readonly onClose: () => void }) {
  const [began] = useState(data.revision);
  const [own, setOwn] = useState<readonly DetectorDto[]>(data.own);
  const [text, setText] = useState(SAMPLE);
  const client = useQueryClient();
  const save = useMutation({
    mutationFn: () => api.patch('/sensitive/detectors', { detectors: own }, began),
    onSuccess: async () => {
      await client.invalidateQueries();
      onClose();
    },
  });
  const attempt = useMutation({
    mutationFn: (pattern?: string) => api.post<TriedDetectors>('/sensitive/try', { text, ...(pattern === undefined ? {} : { pattern }) }),
  });
  const set = (index: number, change: Partial<DetectorDto>): void => setOwn(own.map((one, at) => (at === index ? { ...one, ...change } : one)));
  const used = (id: string): boolean => data.apis.some(({ rule }) => rule.uses.some(({ detector }) => detector === id));
  const wrong = own.some(({ name, pattern }) => name.trim() === '' || patternFault(pattern) !== null);
  return (
    <Dialog open onClose={onClose} maxWidth="md" fullWidth>
      <DialogTitle>Detectors of one’s own</DialogTitle>
      <DialogContent className="stack">
        <p className="quiet small">
          A pattern in RE2 syntax: matched in time that grows with the text alone, so no text can keep it busy. It is looked for where an API says so.
        </p>
        {own.map(({ id, name, pattern }, index) => {
          const fault = patternFault(pattern);
          return (
            <div key={id} className="stack" style={{ gap: 2 }}>
              <div className="row">
                <input
                  className="plain"
                  style={{ width: 200 }}
                  aria-label={`Name of detector ${index + 1}`}
                  placeholder="what it finds"
                  value={name}
                  maxLength={80}
                  onChange={(event) => set(index, { name: event.target.value })}
                />
                <input
                  className="plain mono grow"
                  aria-label={`Pattern of detector ${index + 1}`}
                  placeholder="MTR-[0-9]{4}"
                  value={pattern}
                  onChange={(event) => set(index, { pattern: event.target.value })}
                />
                <button type="button" className="link" disabled={fault !== null || attempt.isPending} onClick={() => attempt.mutate(pattern)}>
                  try it
                </button>
                <button
                  type="button"
                  className="link"
                  disabled={used(id)}
                  title={used(id) ? 'an API looks for it' : ''}
                  onClick={() => setOwn(own.filter((_, at) => at !== index))}
                >
                  drop
                </button>
              </div>
              {(fault !== null || name.trim() === '') && (
                <span className="error small rust" role="alert">
                  {fault ?? 'A name cannot be empty'}
                </span>
              )}
            </div>
          );
        })}
        <div>
          <button type="button" className="link" onClick={() => setOwn([...own, { id: freeId(own), name: '', pattern: '' }])}>
            add one
          </button>
        </div>
        <div className="field">
          <label htmlFor="try-text">A text to try them on; nothing of it is kept</label>
          <textarea id="try-text" className="mono" rows={4} value={text} onChange={(event) => setText(event.target.value)} />
        </div>
        <div className="row">
          <Button variant="outlined" disabled={text === '' || attempt.isPending} onClick={() => attempt.mutate(undefined)}>
            Try all detectors on it
          </Button>
        </div>
        <ProblemNotice error={attempt.error ?? save.error} />
        {attempt.data && (
          <div className="stack" role="status">
            <p className="small">
              {attempt.data.hits.length === 0
                ? 'Nothing was found.'
                : attempt.data.hits.map(({ detectorName, at, masked }) => `${detectorName}${at === '' ? '' : ` at ${at}`}: ${masked}`).join('; ')}
            </p>
            <pre className="sheet" style={{ maxHeight: 120 }}>
              {attempt.data.masked}
            </pre>
          </div>
        )}
      </DialogContent>
      <DialogActions>
        <Button onClick={onClose}>Leave it</Button>
        <Button variant="contained" disabled={wrong || save.isPending} onClick={() => save.mutate()}>
          Set in the draft
        </Button>
      </DialogActions>
    </Dialog>
  );
}

function freeId(own: readonly DetectorDto[]): string {
  for (let number = own.length + 1; ; number++) {
    const id = `own-${number}`;
    if (!own.some((one) => one.id === id)) return id;
  }
}
