import { Copyable } from '@virga/parts';
import type { NeededProofs, OfferedOperation } from '@virga/protocol';
import { useState } from 'react';
import { composed, placeOf } from './compose';
import { SAMPLES, secretWord } from './samples';

/** The composed call as code. Secrets stand in it by name only, so that it can be passed on. */
export function Samples({
  address,
  operation,
  form,
}: {
  readonly address: string;
  readonly operation: OfferedOperation;
  readonly form: {
    readonly basePath: string;
    readonly values: Readonly<Record<string, string>>;
    readonly needed: NeededProofs | null;
    readonly type: string;
    readonly body: string;
  };
}) {
  const [language, setLanguage] = useState('curl');
  const words = new Map(
    (form.needed?.all ?? []).flatMap((proof) =>
      proof.kind === 'certificate' || proof.kind === 'other' ? [] : [[placeOf(proof), secretWord(proof.kind)] as const],
    ),
  );
  const sample = SAMPLES.find(({ name }) => name === language) ?? SAMPLES[0];
  const text = sample?.of(address, composed(operation, { ...form, proofs: words })) ?? '';
  return (
    <div className="stack" style={{ gap: 6, borderTop: '1px solid var(--hairline)', paddingTop: 10 }}>
      <div className="row spread">
        <div className="samples" role="group" aria-label="Language">
          {SAMPLES.map(({ name }) => (
            <button key={name} className="link" aria-pressed={name === language} onClick={() => setLanguage(name)}>
              {name === language ? <b>{name}</b> : name}
            </button>
          ))}
        </div>
        <Copyable text={text} shown="copy" />
      </div>
      <pre className="sheet" data-sample={language}>
        {text}
      </pre>
    </div>
  );
}
