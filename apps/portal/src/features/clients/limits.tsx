import { useQuery } from '@tanstack/react-query';
import { count, inWords, ProblemNotice } from '@virga/parts';
import { limitsQuery } from './queries';

const WIDTH = 180;

/** What is left of each limit. */
export function Limits({ teamId, id }: { readonly teamId: string; readonly id: string }) {
  const { data, error } = useQuery(limitsQuery(teamId, id));
  if (error) return <ProblemNotice error={error} />;
  if (!data || data.items.length === 0) return null;
  return (
    <section aria-label="What is left">
      <h2>What is left</h2>
      {data.items.map(({ node, name, rule, whose, of, left, waitMs, resetMs }) => (
        <div key={[node, rule, name, whose].join('\n')} className="standing">
          <span className="breaks">
            {name}
            <span className="quiet">{[rule, whose, node].filter((word) => word !== '').map((word) => `, ${word}`)}</span>
          </span>
          <svg viewBox={`0 0 ${WIDTH} 8`} aria-hidden="true">
            <rect width={WIDTH} height={8} fill="var(--hairline)" />
            <rect width={(WIDTH * left) / Math.max(1, of)} height={8} fill={left > 0 ? 'var(--rain)' : 'var(--rust)'} />
          </svg>
          <span>
            {count(left)} of {count(of)} left
            <span className="quiet">
              {waitMs > 0 ? `, room again in ${inWords(waitMs)}` : resetMs !== null && left < of ? `, all of it in ${inWords(resetMs)}` : ''}
            </span>
          </span>
        </div>
      ))}
    </section>
  );
}
