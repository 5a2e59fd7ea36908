import { compareTokens, recognise, readPart, UnreadToken, type TokenDifference } from '@virga/core';
import { useContext, useState } from 'react';
import { Field } from '@virga/parts';
import { BenchContext } from './bench-state';

const KINDS: Readonly<Record<TokenDifference['kind'], string>> = {
  same: 'same',
  changed: 'differs',
  'only-first': 'only in the first',
  'only-second': 'only in the second',
};

/** Two tokens, member by member. */
export function CompareTab() {
  const { token, second, set } = useContext(BenchContext);
  const [all, setAll] = useState(false);
  const first = partsOf(token);
  const other = partsOf(second);
  const rows = first && other ? compareTokens(first, other) : [];
  const shown = all ? rows : rows.filter((row) => row.kind !== 'same');
  const bare = (text: string) => recognise(text)[0]?.text ?? text;
  const field = (id: 'token' | 'second', label: string, value: string, read: boolean) => (
    <Field id={id} label={label} error={value !== '' && !read ? 'This is no signed JWT' : ''}>
      <textarea
        id={id}
        className="mono"
        rows={4}
        spellCheck={false}
        value={value}
        onChange={(event) => set(id === 'token' ? { token: bare(event.target.value), paste: event.target.value } : { second: bare(event.target.value) })}
      />
    </Field>
  );
  return (
    <div className="stack">
      <div className="columns">
        {field('token', 'First', token, first !== null)}
        {field('second', 'Second', second, other !== null)}
      </div>
      {rows.length > 0 && (
        <>
          <label className="check small">
            <input type="checkbox" checked={all} onChange={(event) => setAll(event.target.checked)} /> show what is the same too
          </label>
          {shown.length === 0 && <div className="notice fine">Header and payload say the same.</div>}
          {shown.length > 0 && (
            <table className="list" aria-label="Differences">
              <thead>
                <tr>
                  <th>Member</th>
                  <th>First</th>
                  <th>Second</th>
                  <th />
                </tr>
              </thead>
              <tbody>
                {shown.map((row) => (
                  <tr key={`${row.part} ${row.name}`}>
                    <td>
                      <span className="mono">{row.name}</span> <span className="quiet small">{row.part}</span>
                    </td>
                    <td className="mono" style={{ overflowWrap: 'anywhere' }}>
                      {row.first ?? <span className="quiet">not there</span>}
                    </td>
                    <td className="mono" style={{ overflowWrap: 'anywhere' }}>
                      {row.second ?? <span className="quiet">not there</span>}
                    </td>
                    <td className="small">{row.kind === 'same' ? <span className="quiet">same</span> : KINDS[row.kind]}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          )}
        </>
      )}
      {rows.length === 0 && <p className="quiet">Paste two signed JWTs, or take a kept one as the second. Their members stand side by side here.</p>}
    </div>
  );
}

function partsOf(token: string) {
  const [head = '', payload = ''] = token.split('.');
  const header = readPart(head, 'header');
  const claims = readPart(payload, 'payload');
  return header instanceof UnreadToken || claims instanceof UnreadToken ? null : { header, claims };
}
