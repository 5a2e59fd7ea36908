import { count } from '@virga/parts';
import { scaleLinear } from 'd3';

const HEIGHT = 44;
const DAY_MS = 86_400_000;

/** How often something was seen on each of the last days, the last one today (UTC). */
export function DayBars({ days, what, width = 252 }: { readonly days: readonly number[]; readonly what: string; readonly width?: number }) {
  const labelled = width > 200;
  const height = labelled ? HEIGHT : 22;
  const foot = labelled ? 12 : 0;
  const most = Math.max(1, ...days);
  const y = scaleLinear([0, most], [0, height - foot - 2]);
  const step = width / days.length;
  const day = (index: number): string => new Date(Date.now() - (days.length - 1 - index) * DAY_MS).toISOString().slice(5, 10);
  return (
    <svg width={width} height={height} role="img" aria-label={`${what} by day: ${days.map((value, index) => `${day(index)} ${value}`).join(', ')}`}>
      {days.map((value, index) => (
        <rect
          key={index}
          x={index * step + 1}
          y={height - foot - y(value)}
          width={step - 2}
          height={Math.max(value > 0 ? 1.5 : 0.5, y(value))}
          fill={value > 0 ? 'var(--rain)' : 'var(--hairline)'}
        >
          <title>{`${day(index)}: ${count(value)} ${what}`}</title>
        </rect>
      ))}
      {labelled && (
        <>
          <text x={0} y={height - 1} fontSize={10.5} fill="var(--pencil)">
            {day(0)}
          </text>
          <text x={width} y={height - 1} fontSize={10.5} fill="var(--pencil)" textAnchor="end">
            today (UTC), most {count(most)}
          </text>
        </>
      )}
    </svg>
  );
}
