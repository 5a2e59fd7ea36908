import type { ClientUseView } from '@virga/protocol';
import { max, scaleBand, scaleLinear } from 'd3';
import dayjs from 'dayjs';
import { count, exactTime } from './time';

/** When a slice begins, as short as its length allows. */
export const sliceWords = (at: number, sliceMs: number): string =>
  dayjs(at).format(sliceMs < 3_600_001 ? 'HH:mm' : sliceMs < 86_400_000 ? 'D MMM HH:mm' : 'D MMM');

const WIDTH = 1040;
const HEIGHT = 84;
const FOOT = 16;

/** What passed stands on the line, what was refused hangs below it: the two are told apart by place, not by colour alone. */
export function UseBars({ use: { slices, sliceMs } }: { readonly use: Pick<ClientUseView, 'slices' | 'sliceMs'> }) {
  const up = max(slices, ({ passed }) => passed) ?? 0;
  const down = max(slices, ({ refused }) => refused) ?? 0;
  const y = scaleLinear([0, Math.max(1, up + down)], [0, HEIGHT - FOOT - 4]);
  const ground = 2 + y(up);
  const x = scaleBand(
    slices.map(({ at }) => at),
    [0, WIDTH],
  ).padding(0.2);
  const every = Math.ceil(slices.length / 8);
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${HEIGHT}`}
      style={{ width: '100%' }}
      role="img"
      aria-label={`Requests by time, passed above the line and refused below it; at most ${up} passed and ${down} refused in one slice`}
    >
      {slices.map(({ at, passed, refused }, index) => (
        <g key={at}>
          <title>{`from ${exactTime(at)}: ${count(passed)} passed, ${count(refused)} refused`}</title>
          <rect x={x(at)} y={0} width={x.bandwidth()} height={HEIGHT - FOOT} fill="transparent" />
          <rect x={x(at)} y={ground - y(passed)} width={x.bandwidth()} height={y(passed)} fill="var(--rain)" />
          <rect x={x(at)} y={ground} width={x.bandwidth()} height={y(refused)} fill="var(--rust)" />
          {index % every === 0 && (
            <text x={x(at)} y={HEIGHT - 3} fontSize={11} fill="var(--pencil)">
              {sliceWords(at, sliceMs)}
            </text>
          )}
        </g>
      ))}
      <line x1={0} x2={WIDTH} y1={ground} y2={ground} stroke="var(--ink)" />
    </svg>
  );
}
