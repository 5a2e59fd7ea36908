import type { StepId } from '@virga/core';
import { count } from '@virga/parts';
import type { FallLayer, FallSlice, FallView } from '@virga/protocol';
import { area, curveMonotoneX, line, max, scaleLinear } from 'd3';
import dayjs from 'dayjs';
import { useMemo } from 'react';
import { useNavigate } from 'react-router';
import { withQuery } from '../../client/api';
import { streaksOf, type Streak } from './streaks';

const WIDTH = 790;
const FIELD = 628;
const RIDGE = { top: 14, height: 74 };
const TOP = RIDGE.top + RIDGE.height;
const GROUND = 560;
const ALWAYS: readonly StepId[] = ['route', 'credential', 'token', 'rights'];

/** The fall: requests enter at the ridge, thin out from layer to layer, and reach the ground when they are forwarded. */
export function FallChart({ fall }: { readonly fall: FallView }) {
  const navigate = useNavigate();
  const layers = fall.layers.filter((layer) => layer.step !== 'upstream' && (ALWAYS.includes(layer.step) || layer.stopped > 0 || layer.wouldStop > 0));
  const upstream = fall.layers.find((layer) => layer.step === 'upstream');
  // Refusals last, so that they lie on top; before them what would have been refused.
  const streaks = useMemo(() => streaksOf(fall).sort((a, b) => depthOf(a) - depthOf(b)), [fall]);
  const x = scaleLinear([fall.from, fall.to], [0, FIELD]);
  const y = (step: StepId | null) => {
    const index = step === null || step === 'upstream' ? layers.length : layers.findIndex((layer) => layer.step === step);
    return TOP + ((GROUND - TOP) * (index + (index === layers.length ? 0 : 0.55))) / layers.length;
  };
  const band = (GROUND - TOP) / layers.length;
  // Many layers leave each less room for words.
  const lines = band >= 56 ? 3 : band >= 34 ? 2 : 1;
  const open = (query: Record<string, string | number | undefined>) => void navigate(withQuery('/traces', { since: fall.from, ...query }));
  const percent = (part: number) => (fall.total === 0 ? '' : `${((part / fall.total) * 100).toFixed(1)} %`);
  return (
    <svg
      className="fall"
      viewBox={`0 0 ${WIDTH} ${GROUND + 40}`}
      width="100%"
      role="group"
      aria-label={`${count(fall.total)} requests, ${count(fall.forwarded)} forwarded. The table has the numbers.`}
    >
      <Ridgeline slices={fall.slices} x={x} />
      {layers.map((layer, index) => (
        <line
          key={layer.step}
          x1={0}
          x2={FIELD}
          y1={TOP + ((GROUND - TOP) * index) / layers.length}
          y2={TOP + ((GROUND - TOP) * index) / layers.length}
          stroke="var(--hairline)"
        />
      ))}
      {streaks.map((streak, index) => {
        const end = y(streak.step);
        const refused = streak.step !== null;
        const at = x(streak.at);
        return (
          <g
            key={index}
            style={{ cursor: 'pointer' }}
            onClick={() =>
              open({
                since: Math.floor(streak.at - fall.sliceMs),
                until: Math.ceil(streak.at + fall.sliceMs),
                outcome: refused ? 'refused' : streak.would === null ? 'passed' : 'would-refuse',
                step: streak.step ?? streak.would ?? undefined,
              })
            }
          >
            <line
              x1={at}
              x2={at}
              y1={TOP}
              y2={streak.would === null ? end : y(streak.would)}
              stroke={refused ? 'var(--rust)' : 'var(--rain)'}
              strokeWidth={refused ? 1.5 : 1}
              strokeOpacity={refused ? 0.9 : 0.5}
            />
            {streak.would !== null && <line x1={at} x2={at} y1={y(streak.would)} y2={end} stroke="var(--ochre)" strokeWidth={1.6} strokeDasharray="1.6 3.4" />}
            {refused && streak.step !== 'upstream' && (
              <line x1={at} x2={at} y1={end} y2={end + 16} stroke="var(--rust)" strokeWidth={1.5} strokeDasharray="1.5 3" />
            )}
            <line x1={at} x2={at} y1={TOP} y2={end} stroke="transparent" strokeWidth={6} />
          </g>
        );
      })}
      <path
        d={`M0 ${GROUND} C ${FIELD * 0.2} ${GROUND - 3}, ${FIELD * 0.4} ${GROUND + 3}, ${FIELD * 0.6} ${GROUND} S ${FIELD * 0.9} ${GROUND - 3}, ${FIELD} ${GROUND}`}
        stroke="var(--ink)"
        strokeWidth={1.8}
        fill="none"
      />
      <TimeAxis fall={fall} x={x} />
      {layers.map((layer, index) => (
        <LayerLabel
          key={layer.step}
          layer={layer}
          lines={lines}
          y={Math.min(y(layer.step) - 18, TOP + band * index + 14)}
          share={percent(layer.stopped)}
          onOpen={() => open({ outcome: layer.stopped > 0 ? 'refused' : layer.wouldStop > 0 ? 'would-refuse' : 'refused', step: layer.step })}
        />
      ))}
      {upstream && (
        <g transform={`translate(${FIELD + 14} ${GROUND + 4})`} style={{ cursor: 'pointer' }} onClick={() => open({ outcome: 'passed' })}>
          <text fontWeight={700}>Upstream</text>
          <text x={WIDTH - FIELD - 16} textAnchor="end" className="quiet">
            {percent(fall.forwarded)}
          </text>
          <text y={16} style={{ fill: 'var(--rain)' }}>
            {count(fall.forwarded)} forwarded
          </text>
          {upstream.stopped > 0 && (
            <text y={31} style={{ fill: 'var(--rust)' }}>
              {count(upstream.stopped)} failed there
            </text>
          )}
        </g>
      )}
    </svg>
  );
}

/** What lies on top of what. */
const depthOf = ({ step, would }: Streak): number => (step === null ? (would === null ? 0 : 1) : 2);

function Ridgeline({ slices, x }: { readonly slices: readonly FallSlice[]; readonly x: (at: number) => number }) {
  const most = max(slices, (slice) => slice.total) || 1;
  const height = scaleLinear([0, most], [TOP, RIDGE.top]);
  const places = slices.map((slice, index): [number, number] => [index === slices.length - 1 ? FIELD : x(slice.at), height(slice.total)]);
  const peak = slices.reduce((best, slice) => (slice.total > best.total ? slice : best), slices[0] as FallSlice);
  return (
    <g>
      <path
        d={
          area<[number, number]>()
            .x(([at]) => at)
            .y1(([, top]) => top)
            .y0(TOP)
            .curve(curveMonotoneX)(places) ?? ''
        }
        fill="var(--ridge)"
      />
      <path d={line<[number, number]>().curve(curveMonotoneX)(places) ?? ''} fill="none" stroke="var(--ink)" strokeWidth={1.5} />
      <line x1={0} x2={FIELD} y1={TOP} y2={TOP} stroke="var(--ink)" strokeWidth={1.8} />
      {peak.total > 0 && (
        <text x={Math.min(Math.max(x(peak.at), 60), FIELD - 70)} y={RIDGE.top - 3} textAnchor="middle" className="quiet">
          at most {count(peak.total)} {slices.length > 1 && (slices[1]?.at ?? 0) - (slices[0]?.at ?? 0) > 60_000 ? 'a slice' : 'a minute'}
        </text>
      )}
    </g>
  );
}

function TimeAxis({ fall, x }: { readonly fall: FallView; readonly x: (at: number) => number }) {
  const format = fall.to - fall.from > 86_400_000 ? 'D MMM' : 'HH:mm';
  const times = [0, 0.25, 0.5, 0.75].map((part) => fall.from + part * (fall.to - fall.from));
  return (
    <g className="axis">
      {times.map((at, index) => (
        <text key={at} x={x(at)} y={GROUND + 20} textAnchor={index === 0 ? 'start' : 'middle'} className="quiet">
          {dayjs(at).format(format)}
        </text>
      ))}
      <text x={FIELD} y={GROUND + 20} textAnchor="end" className="quiet">
        now
      </text>
    </g>
  );
}

function LayerLabel({
  layer,
  lines,
  y,
  share,
  onOpen,
}: {
  readonly layer: FallLayer;
  /** Lines of words that there is room for. */
  readonly lines: number;
  readonly y: number;
  readonly share: string;
  readonly onOpen: () => void;
}) {
  const first = layer.reasons[0] ?? layer.wouldReasons[0];
  return (
    <g
      transform={`translate(${FIELD + 14} ${y})`}
      style={{ cursor: 'pointer' }}
      onClick={onOpen}
      role="link"
      tabIndex={0}
      onKeyDown={(event) => event.key === 'Enter' && onOpen()}
      aria-label={`${layer.name}: ${layer.stopped} stopped${layer.wouldStop > 0 ? `, ${layer.wouldStop} would have been` : ''}. Open the traces`}
    >
      <rect x={-6} y={-14} width={WIDTH - FIELD - 6} height={2 + lines * 16} fill="transparent" />
      <text fontWeight={700}>{layer.name}</text>
      <text x={WIDTH - FIELD - 16} textAnchor="end" className="quiet">
        {layer.stopped > 0 ? share : ''}
      </text>
      <text
        y={16}
        visibility={lines > 1 ? 'visible' : 'hidden'}
        style={{ fill: layer.stopped > 0 ? 'var(--rust)' : layer.wouldStop > 0 ? 'var(--ochre)' : 'var(--pencil)' }}
      >
        {layer.stopped > 0 ? `${count(layer.stopped)} stopped` : layer.wouldStop > 0 ? `${count(layer.wouldStop)} would stop` : 'stopped nothing'}
        {layer.stopped > 0 && layer.wouldStop > 0 && <tspan style={{ fill: 'var(--ochre)' }}>, {count(layer.wouldStop)} would</tspan>}
      </text>
      {first && lines > 2 && (
        <text y={31} className="quiet" style={{ fontSize: 11.5 }}>
          {clip(first.code.split('.').slice(1).join(' ').replaceAll('-', ' '), 20)} {count(first.count)}
        </text>
      )}
      <title>
        {[
          ...layer.reasons.map((reason) => `${reason.code}: ${reason.count}`),
          ...layer.wouldReasons.map((reason) => `would stop, ${reason.code}: ${reason.count}`),
        ].join('\n')}
      </title>
    </g>
  );
}

const clip = (text: string, length: number): string => (text.length > length ? `${text.slice(0, length - 1)}…` : text);
