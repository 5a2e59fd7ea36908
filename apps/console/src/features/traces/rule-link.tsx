import type { StepView } from '@virga/protocol';
import { Link } from 'react-router';
import { authorizerPath, operationPath } from '../../client/places';

/** Tabs of the API screen where rules of all its operations are edited, by the part of the rule. */
const TABS: Readonly<Record<string, string>> = {
  addresses: '',
  conditions: '',
  authorizers: '',
  access: '',
  token: '/access',
  schemes: '/access',
  cors: '/access',
  modes: '',
  contract: '/contract',
  contractHash: '/contract',
  unmatched: '/contract',
  upstream: '/upstream',
  plan: '',
  limits: '',
  message: '/bodies',
  headers: '/bodies',
  enabled: '',
};

/** Screens of rules of the gateway as a whole. */
const OF_GATEWAY: Readonly<Record<string, string>> = {
  conditions: '/conditions',
  detectors: '/sensitive',
  limits: '/limits',
  guessing: '/limits',
  counting: '/limits',
  plans: '/plans',
};

/** The screen of a rule of the gateway; of plans the one that is called. */
const gatewayPath = (part: string, calls: string): string => (part === 'plans' && calls !== '' ? `/plans/${calls}` : (OF_GATEWAY[part] ?? '/addresses'));

/** The way to the rule that decided a step, by its pointer into the release. */
export function RuleLink({ step }: { readonly step: StepView }) {
  const { rule } = step;
  if (rule === null) return step.step === 'route' ? <Link to="/apis">Look at the base paths of all APIs</Link> : null;
  const to =
    rule.apiId === ''
      ? gatewayPath(rule.part, rule.calls)
      : rule.part === 'sensitive'
        ? `/sensitive?api=${rule.apiId}`
        : rule.operationId === null
          ? `/apis/${rule.apiId}${TABS[rule.part] ?? ''}`
          : operationPath(rule.apiId, rule.operationId);
  return (
    <div>
      <Link to={to}>Open the rule</Link>
      <div className="quiet small">{rule.words}</div>
      {rule.calls !== '' && rule.part === 'authorizers' && <Link to={authorizerPath(rule.calls)}>Open the authorizer {rule.calls}</Link>}
    </div>
  );
}
