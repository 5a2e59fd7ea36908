import Button from '@mui/material/Button';
import { useMutation } from '@tanstack/react-query';
import { recognise, type SupposedCaller } from '@virga/core';
import { ProblemNotice } from '@virga/parts';
import type { PastedView } from '@virga/protocol';
import { useState } from 'react';
import { api } from '../../client/api';

/** Takes a token or a key to see what it opens. It stays in this page. */
export function PasteCredential({ onTake }: { readonly onTake: (caller: SupposedCaller) => void }) {
  const [text, setText] = useState('');
  const ask = useMutation({
    mutationFn: () => api.post<PastedView>('/reach/pasted', { text }),
    onSuccess: (view) => {
      if (view.is === 'nothing') return;
      const [item] = recognise(text);
      const plain = item?.text ?? text.trim();
      const credential =
        view.credentialId !== null ? ({ kind: 'key', credentialId: view.credentialId } as const) : ({ kind: 'pasted', as: view.is, text: plain } as const);
      onTake({
        id: `pasted ${plain.slice(-12)}`,
        kind: 'pasted',
        name: view.is === 'key' ? 'pasted key' : 'pasted token',
        credentials: [credential],
        note: view.says,
      });
      setText('');
    },
  });
  return (
    <form
      className="stack"
      style={{ gap: 6 }}
      onSubmit={(event) => {
        event.preventDefault();
        ask.mutate();
      }}
    >
      <div className="row">
        <input
          aria-label="Token or key"
          className="plain mono grow"
          placeholder="paste a token or a key, to see what it opens"
          value={text}
          spellCheck={false}
          autoComplete="off"
          onChange={(event) => setText(event.target.value)}
        />
        <Button type="submit" disabled={text.trim() === '' || ask.isPending}>
          Add it
        </Button>
      </div>
      {ask.data && <div className={ask.data.is === 'nothing' ? 'rust small' : 'quiet small'}>{ask.data.says}.</div>}
      <ProblemNotice error={ask.error} />
    </form>
  );
}
