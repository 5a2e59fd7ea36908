import Button from '@mui/material/Button';
import { useQuery } from '@tanstack/react-query';
import { count, ProblemNotice } from '@virga/parts';
import type { PlanView } from '@virga/protocol';
import { Link, useNavigate } from 'react-router';
import { DataTable } from '../../parts/data-table';
import { Mark } from '../../parts/mark';
import { plansQuery } from '../apis/plan-queries';
import { Subscriptions } from './subscriptions';

/** Plans of the draft: what each opens, what it allows, who has it. */
export function PlanListScreen() {
  const { data, error } = useQuery(plansQuery);
  const navigate = useNavigate();
  return (
    <>
      <div className="page-head">
        <h1>Plans</h1>
        <span className="quiet">what was agreed with clients: what they may call, how much of it, until when</span>
        <span className="after">
          <Link to="/limits">limits beside plans</Link>
          <Button variant="contained" onClick={() => void navigate('/plans/new')}>
            Make a plan
          </Button>
        </span>
      </div>
      <ProblemNotice error={error} />
      {data?.items.length === 0 && (
        <div className="empty">
          <h2>No plan yet</h2>
          <p>
            A plan names operations of your APIs and says how much of them one client may use. An API that asks for a plan lets in nobody who has none; give the
            plan to clients here or on their pages, and it counts at once.
          </p>
        </div>
      )}
      {data && data.items.length > 0 && (
        <DataTable
          items={data.items}
          label="Plans"
          to={(plan) => `/plans/${plan.id}`}
          columns={[
            { cell: (plan) => <Mark kind={plan.incomplete ? 'unknown' : plan.mode === 'observe' ? 'would-refuse' : 'passed'} word={wordOf(plan)} /> },
            { head: 'Name', cell: (plan, open) => open(<b>{plan.name}</b>) },
            {
              head: 'Opens',
              cell: (plan) =>
                plan.incomplete ? (
                  <span className="ochre">{plan.incomplete}</span>
                ) : (
                  plan.opens.map(({ apiId, apiName, operations, gone }) => (
                    <div key={apiId}>
                      {apiName}, {count(operations)} {operations === 1 ? 'operation' : 'operations'}
                      {gone.length > 0 && <span className="ochre">, {count(gone.length)} that are gone</span>}
                    </div>
                  ))
                ),
            },
            {
              head: 'Allows',
              cell: (plan) =>
                plan.says.length === 0 ? <span className="quiet">as much as one likes</span> : plan.says.map((words) => <div key={words}>{words}</div>),
            },
            {
              head: 'Clients',
              className: 'number',
              cell: (plan) => (
                <>
                  {count(plan.active)}
                  {plan.waiting > 0 && <div className="ochre small">{count(plan.waiting)} waiting</div>}
                </>
              ),
            },
          ]}
        />
      )}
      <section style={{ marginTop: 24 }}>
        <h2>Who has which plan</h2>
        <Subscriptions filter={{}} />
      </section>
    </>
  );
}

const wordOf = (plan: PlanView): string => (plan.incomplete ? 'incomplete' : plan.mode === 'observe' ? 'only observes' : 'in use');
