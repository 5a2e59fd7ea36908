import { exactTime } from '@virga/parts';
import type { KeyView } from '@virga/protocol';
import { scaleTime } from 'd3';
import dayjs from 'dayjs';

const WIDTH = 720;
const LEFT = 170;
const ROW = 24;

/** When each key was seen first and last, as lines over time. The table of keys beside it has the same facts. */
export function KeyYears({ keys }: { readonly keys: readonly KeyView[] }) {
  const seen = keys.flatMap((key) => (key.firstSeenAt === null || key.lastSeenAt === null ? [] : [{ ...key, from: key.firstSeenAt, to: key.lastSeenAt }]));
  if (seen.length === 0) return null;
  const now = Date.now();
  const start = Math.min(...seen.map((key) => key.from), now - 3_600_000);
  const x = scaleTime([new Date(start), new Date(now)], [LEFT, WIDTH - 16]);
  const height = seen.length * ROW + 30;
  return (
    <svg viewBox={`0 0 ${WIDTH} ${height}`} className="fall" role="img" aria-label="When each key was seen" style={{ width: '100%', maxWidth: WIDTH }}>
      {x.ticks(5).map((tick) => (
        <g key={tick.getTime()} transform={`translate(${x(tick)},0)`}>
          <line y1={0} y2={height - 22} stroke="var(--hairline)" />
          <text className="quiet" y={height - 8} textAnchor="middle">
            {dayjs(tick).format(now - start > 86_400_000 ? 'D MMM' : 'HH:mm')}
          </text>
        </g>
      ))}
      {seen.map((key, index) => {
        const y = index * ROW + 14;
        return (
          <g key={key.thumbprint}>
            <title>{`${key.kid ?? key.thumbprint}: seen from ${exactTime(key.from)} to ${exactTime(key.to)}`}</title>
            <text x={0} y={y + 4} style={{ fontFamily: 'var(--mono)' }}>
              {(key.kid ?? key.thumbprint).slice(0, 20)}
            </text>
            <line
              x1={x(key.from)}
              x2={Math.max(x(key.published ? now : key.to), x(key.from) + 3)}
              y1={y}
              y2={y}
              stroke="currentColor"
              strokeWidth={key.published ? 5 : 2}
              strokeDasharray={key.published ? undefined : '4 3'}
            />
            {!key.published && (
              <text className="quiet" x={Math.min(x(key.to) + 6, WIDTH - 80)} y={y + 4}>
                withdrawn
              </text>
            )}
          </g>
        );
      })}
    </svg>
  );
}
