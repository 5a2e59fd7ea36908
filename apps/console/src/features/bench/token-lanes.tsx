import { scaleLinear } from 'd3';

const WIDTH = 560;
const LEFT = 84;
const LANE = 26;
const NAMES: Readonly<Record<number, readonly string[]>> = {
  3: ['header', 'payload', 'signature'],
  5: ['header', 'wrapped key', 'IV', 'content', 'seal'],
};
/** How each lane is inked, so that parts can be told apart without colour. */
const INK = ['solid', 'lines', 'dots', 'lines', 'solid'] as const;

/** A token as stacked lanes below a ruler of characters: each part begins where the one before it ended. */
export function TokenLanes({ token }: { readonly token: string }) {
  const parts = token.split('.', 6);
  const names = NAMES[parts.length] ?? parts.map((_, index) => (parts.length === 1 ? 'opaque' : `part ${index + 1}`));
  const x = scaleLinear([0, Math.max(token.length, 1)], [LEFT, WIDTH - 70]);
  const height = parts.length * LANE + 26;
  let at = 0;
  return (
    <svg
      viewBox={`0 0 ${WIDTH} ${height}`}
      className="fall"
      role="img"
      aria-label={`Token of ${token.length} characters in ${parts.length} parts`}
      style={{ width: '100%', maxWidth: WIDTH }}
    >
      <defs>
        <pattern id="ink-lines" width="5" height="5" patternUnits="userSpaceOnUse" patternTransform="rotate(45)">
          <path d="M0 0V5" stroke="var(--ink)" strokeWidth="1.4" />
        </pattern>
        <pattern id="ink-dots" width="5" height="5" patternUnits="userSpaceOnUse">
          <circle cx="1.5" cy="1.5" r="1" fill="var(--ink)" />
        </pattern>
      </defs>
      {x.ticks(6).map((tick) => (
        <g key={tick} transform={`translate(${x(tick)},0)`}>
          <line y1={14} y2={height} stroke="var(--hairline)" />
          <text className="quiet" y={10} textAnchor="middle">
            {tick}
          </text>
        </g>
      ))}
      {parts.map((part, index) => {
        const from = at;
        at += part.length + 1;
        const ink = INK[index % INK.length] ?? 'solid';
        return (
          <g key={index} transform={`translate(0,${index * LANE + 20})`}>
            <text y={14}>{names[index]}</text>
            <rect
              x={x(from)}
              y={3}
              width={Math.max(2, x(from + part.length) - x(from))}
              height={14}
              fill={ink === 'solid' ? 'var(--ink)' : `url(#ink-${ink})`}
              stroke="var(--ink)"
              strokeWidth={1}
            />
            <text className="quiet" x={x(from + part.length) + 6} y={14}>
              {part.length}
            </text>
          </g>
        );
      })}
    </svg>
  );
}
