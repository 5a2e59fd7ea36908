import { scaleLinear } from 'd3';
import { count } from '../../parts/time';

const [WIDTH, HEIGHT] = [252, 44];
const DAY_MS = 86_400_000;

/** How often something was seen on each of the last days, the last one today (UTC). */
export function DayBars({ days, what }: { readonly days: readonly number[]; readonly what: string }) {
  const most = Math.max(1, ...days);
  const y = scaleLinear([0, most], [0, HEIGHT - 14]);
  const step = WIDTH / days.length;
  const day = (index: number): string => new Date(Date.now() - (days.length - 1 - index) * DAY_MS).toISOString().slice(5, 10);
  return (
    <svg width={WIDTH} height={HEIGHT} role="img" aria-label={`${what} by day: ${days.map((value, index) => `${day(index)} ${value}`).join(', ')}`}>
      {days.map((value, index) => (
        <rect
          key={index}
          x={index * step + 1}
          y={HEIGHT - 12 - y(value)}
          width={step - 2}
          height={Math.max(value > 0 ? 1.5 : 0.5, y(value))}
          fill={value > 0 ? 'var(--rain)' : 'var(--hairline)'}
        >
          <title>{`${day(index)}: ${count(value)} ${what}`}</title>
        </rect>
      ))}
      <text x={0} y={HEIGHT - 1} fontSize={10.5} fill="var(--pencil)">
        {day(0)}
      </text>
      <text x={WIDTH} y={HEIGHT - 1} fontSize={10.5} fill="var(--pencil)" textAnchor="end">
        today (UTC), most {count(most)}
      </text>
    </svg>
  );
}
