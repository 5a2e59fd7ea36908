import { useQuery } from '@tanstack/react-query';
import { cellsDiffer, reachesMore } from '@virga/core';
import { Link } from 'react-router';
import { count, ProblemNotice } from '@virga/parts';
import { suppose } from '../../workers/suppose';
import type { TableAnswer } from '../../workers/suppose-messages';
import { documentQuery, factsQuery } from '../let-through/queries';

const SHOWN = 5;
const NAMED = 4;

/** Who reaches what else by the draft than by what is live. */
export function ReachDifference({ live, revision }: { readonly live: number | null; readonly revision: string }) {
  const { data: facts, error: factsError } = useQuery(factsQuery);
  const { data: draft, error: draftError } = useQuery(documentQuery('draft', revision));
  const { data: before, error: beforeError } = useQuery({ ...documentQuery(live ?? 'draft', revision), enabled: live !== null });
  const { data: table, error } = useQuery({
    queryKey: ['draft', 'reach', live, revision],
    queryFn: () => {
      if (!facts || !draft) throw new Error('The draft could not be read');
      const { personas, ...known } = facts;
      return suppose({
        ask: 'table',
        by: 'publish',
        after: draft,
        before: before ?? null,
        facts: known,
        named: personas,
        settings: { atMs: null, address: null, nowMs: Date.now() },
        keys: {},
        clientText: '',
      });
    },
    enabled: Boolean(facts && draft && (live === null || before)),
    staleTime: Infinity,
    gcTime: 0,
    retry: false,
  });
  const problem = factsError ?? draftError ?? beforeError ?? error;
  if (problem) return <ProblemNotice error={problem} />;
  if (!table) return <p className="quiet">Deciding who reaches what…</p>;
  if (live === null)
    return (
      <p className="quiet">
        Nothing is live to compare with. <Link to="/reach">Who can reach what</Link>
      </p>
    );
  const rows = differences(table);
  const link = `/reach?against=${live}&only=differences`;
  if (rows.length === 0) return <p className="quiet">Nobody reaches anything else than before.</p>;
  return (
    <div>
      <ul className="plain-list">
        {rows.slice(0, SHOWN).map(({ operation, more, less }) => (
          <li key={`${operation.apiId} ${operation.operationId}`} className="breaks">
            <span className="mono small">
              {operation.method} {operation.path}
            </span>
            {more.length > 0 && (
              <div>
                <span className="mono ochre">+</span> <b>more:</b> {named(more)}
              </div>
            )}
            {less.length > 0 && (
              <div>
                <span className="mono rain">−</span> <b>less:</b> {named(less)}
              </div>
            )}
          </li>
        ))}
      </ul>
      <Link to={link}>{rows.length > SHOWN ? `All ${count(rows.length)} operations that differ` : 'Look at the table'}</Link>
    </div>
  );
}

const named = (names: readonly string[]): string => `${names.slice(0, NAMED).join(', ')}${names.length > NAMED ? ` and ${names.length - NAMED} more` : ''}`;

/** Operations with callers that reach more of them, or less, than before; what reaches more first. */
function differences({ operations, callers, before, after }: TableAnswer) {
  const rows = operations.map((operation, at) => {
    const more: string[] = [];
    const less: string[] = [];
    callers.forEach(({ kind, name }, who) => {
      const [was, is] = [before[at]?.[who] ?? null, after[at]?.[who] ?? null];
      if (cellsDiffer(was, is))
        (reachesMore(was, is) ? more : less).push(
          kind === 'role' ? `role ${name}` : kind === 'client' ? `client ${name}` : kind === 'provider' ? `any token of ${name}` : name,
        );
    });
    return { operation, more, less };
  });
  return rows.filter(({ more, less }) => more.length + less.length > 0).sort((a, b) => b.more.length - a.more.length);
}
