import type { StepView } from '@virga/protocol';
import { Link } from 'react-router';

/** The way to the rule that decided a step. */
export function RuleLink({ trace, step }: { readonly trace: { readonly apiId: string | null; readonly operationId: string | null }; readonly step: StepView }) {
  if (trace.apiId === null) return step.step === 'route' ? <Link to="/apis">Look at the base paths of all APIs</Link> : null;
  const operation = trace.operationId === null ? '' : `?filter=${encodeURIComponent(trace.operationId.split(' ').slice(1).join(' '))}`;
  switch (step.step) {
    case 'route':
    case 'credential':
    case 'rights':
      return <Link to={`/apis/${trace.apiId}${operation}`}>Open the rule in the table of operations</Link>;
    case 'token':
    case 'proof':
    case 'claims':
    case 'preflight':
      return <Link to={`/apis/${trace.apiId}/access`}>Open scopes and audience of the API</Link>;
    case 'upstream':
      return <Link to={`/apis/${trace.apiId}/upstream`}>Open the upstream of the API</Link>;
    case 'message':
      return null;
  }
}
