import { exactTime, inWords } from '@virga/parts';
import { TIME_CLAIMS } from '@virga/core';
import { scaleTime } from 'd3';

const WIDTH = 560;
const EDGE = 40;

/** The times of a token on one line, with now. The table of claims has the same times in words. */
export function TokenTimes({ claims, now }: { readonly claims: Readonly<Record<string, unknown>>; readonly now: number }) {
  const times = TIME_CLAIMS.flatMap((name) => {
    const value = claims[name];
    return typeof value === 'number' && Math.abs(value) < 8e12 ? [{ name, at: value * 1000 }] : [];
  });
  if (times.length === 0) return null;
  const points = [...times, { name: 'now', at: now }].sort((a, b) => a.at - b.at);
  const first = points[0]?.at ?? now;
  const last = Math.max(points[points.length - 1]?.at ?? now, first + 1000);
  const x = scaleTime([new Date(first), new Date(last)], [EDGE, WIDTH - EDGE]);
  const exp = times.find((time) => time.name === 'exp')?.at;
  const from = times.find((time) => time.name === 'nbf')?.at ?? times.find((time) => time.name === 'iat')?.at ?? first;
  return (
    <svg viewBox={`0 0 ${WIDTH} 74`} className="fall" role="img" aria-label="Times of the token" style={{ width: '100%', maxWidth: WIDTH }}>
      <line x1={EDGE} x2={WIDTH - EDGE} y1={40} y2={40} stroke="var(--hairline)" strokeWidth={1} />
      {exp !== undefined && exp > from && <line x1={x(from)} x2={x(exp)} y1={40} y2={40} stroke="var(--ink)" strokeWidth={5} />}
      {points.map((point, index) => {
        const up = index % 2 === 0;
        const isNow = point.name === 'now';
        return (
          <g key={point.name} transform={`translate(${x(point.at)},0)`}>
            <title>{`${point.name} ${exactTime(point.at)}`}</title>
            <line y1={up ? 24 : 40} y2={up ? 40 : 56} stroke={isNow ? 'var(--rain)' : 'var(--ink)'} strokeWidth={isNow ? 2.5 : 1.2} />
            <text
              y={up ? 18 : 68}
              textAnchor={x(point.at) < 70 ? 'start' : x(point.at) > WIDTH - 80 ? 'end' : 'middle'}
              style={isNow ? { fill: 'var(--rain)', fontWeight: 700 } : {}}
            >
              {isNow ? 'now' : `${point.name} ${relative(point.at, now)}`}
            </text>
          </g>
        );
      })}
    </svg>
  );
}

export const relative = (at: number, now: number): string => (at > now + 500 ? `in ${inWords(at - now)}` : `${inWords(now - at)} ago`);
