import { CLAIM_WORDS, HEADER_WORDS, readPart, TIME_CLAIMS, UnreadToken, type JsonObject } from '@virga/core';
import { useEffect, useState } from 'react';
import { exactTime } from '@virga/parts';
import { TokenLanes } from './token-lanes';
import { relative, TokenTimes } from './token-times';

/** A token laid out: lanes, times, and every member with its name in words. Nothing is verified here. */
export function TokenParts({ token }: { readonly token: string }) {
  const now = useNow();
  const parts = token.split('.');
  const header = readPart(parts[0] ?? '', 'header');
  const claims = parts.length === 3 ? readPart(parts[1] ?? '', 'payload') : null;
  return (
    <div className="stack">
      <TokenLanes token={token} />
      {claims && !(claims instanceof UnreadToken) && <TokenTimes claims={claims} now={now} />}
      {!(header instanceof UnreadToken) && <Members title="Header" object={header} words={HEADER_WORDS} now={now} />}
      {claims && <Payload claims={claims} now={now} />}
    </div>
  );
}

function Payload({ claims, now }: { readonly claims: JsonObject | UnreadToken; readonly now: number }) {
  if (!(claims instanceof UnreadToken)) return <Members title="Payload" object={claims} words={CLAIM_WORDS} now={now} />;
  const why = { 'duplicate-member': 'a member stands in it twice', 'too-deep': 'it is nested too deep' } as Readonly<Record<string, string>>;
  return <div className="notice wrong">The payload cannot be read: {why[claims.kind] ?? 'it is not canonical base64url of a JSON object'}.</div>;
}

function Members({
  title,
  object,
  words,
  now,
}: {
  readonly title: string;
  readonly object: JsonObject;
  readonly words: Readonly<Record<string, string>>;
  readonly now: number;
}) {
  return (
    <table className="list members" aria-label={title}>
      <thead>
        <tr>
          <th colSpan={2}>{title}</th>
        </tr>
      </thead>
      <tbody>
        {Object.entries(object).map(([name, value]) => (
          <tr key={name}>
            <td>
              <span className="mono">{name}</span> <span className="quiet small">{words[name] ?? 'of its own'}</span>
            </td>
            <td className="mono" style={{ overflowWrap: 'anywhere' }}>
              {typeof value === 'string' ? value : JSON.stringify(value)}
              {TIME_CLAIMS.includes(name) && typeof value === 'number' && Math.abs(value) < 8e12 && (
                <div className="quiet small">
                  {relative(value * 1000, now)}, {exactTime(value * 1000)}
                </div>
              )}
            </td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}

/** The time, taken anew now and then. */
export function useNow(everyMs = 5000): number {
  const [now, setNow] = useState(() => Date.now());
  useEffect(() => {
    const timer = setInterval(() => setNow(Date.now()), everyMs);
    return () => clearInterval(timer);
  }, [everyMs]);
  return now;
}
