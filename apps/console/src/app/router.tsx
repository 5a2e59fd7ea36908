import { lazy, Suspense, type ComponentType } from 'react';
import { createBrowserRouter } from 'react-router';
import { NoSuchScreen, ScreenFault } from './no-screen';
import { Shell } from './shell';

type Screen = () => Promise<{ default: ComponentType }>;

/** A screen that is loaded when it is opened. */
const screen = (load: Screen) => {
  const Lazy = lazy(load);
  return (
    <Suspense fallback={<p className="quiet">Opening…</p>}>
      <Lazy />
    </Suspense>
  );
};

export const router = createBrowserRouter([
  {
    element: <Shell />,
    errorElement: <ScreenFault />,
    children: [
      {
        errorElement: <ScreenFault />,
        children: [
          { path: '/', element: screen(() => import('../features/overlook/overlook').then((m) => ({ default: m.Overlook }))) },
          { path: '/apis', element: screen(() => import('../features/apis/api-list').then((m) => ({ default: m.ApiListScreen }))) },
          { path: '/apis/new', element: screen(() => import('../features/apis/bring-in').then((m) => ({ default: m.BringIn }))) },
          {
            path: '/apis/:id/operations/:operationId',
            element: screen(() => import('../features/operation/operation-screen').then((m) => ({ default: m.OperationScreen }))),
          },
          { path: '/apis/:id/:tab?', element: screen(() => import('../features/apis/api-screen').then((m) => ({ default: m.ApiScreen }))) },
          { path: '/inventory', element: screen(() => import('../features/inventory/inventory-screen').then((m) => ({ default: m.InventoryScreen }))) },
          { path: '/sensitive', element: screen(() => import('../features/sensitive/sensitive-screen').then((m) => ({ default: m.SensitiveScreen }))) },
          { path: '/providers', element: screen(() => import('../features/providers/provider-list').then((m) => ({ default: m.ProviderListScreen }))) },
          { path: '/providers/new', element: screen(() => import('../features/providers/trust-provider').then((m) => ({ default: m.TrustProvider }))) },
          { path: '/providers/:id', element: screen(() => import('../features/providers/provider-screen').then((m) => ({ default: m.ProviderScreen }))) },
          { path: '/clients', element: screen(() => import('../features/clients/client-list').then((m) => ({ default: m.ClientListScreen }))) },
          { path: '/clients/:id', element: screen(() => import('../features/clients/client-screen').then((m) => ({ default: m.ClientScreen }))) },
          { path: '/leaks', element: screen(() => import('../features/clients/leaks').then((m) => ({ default: m.LeaksScreen }))) },
          { path: '/plans', element: screen(() => import('../features/plans/plan-list').then((m) => ({ default: m.PlanListScreen }))) },
          { path: '/plans/new', element: screen(() => import('../features/plans/plan-screen').then((m) => ({ default: m.PlanScreen }))) },
          { path: '/plans/:id', element: screen(() => import('../features/plans/plan-screen').then((m) => ({ default: m.PlanScreen }))) },
          { path: '/limits', element: screen(() => import('../features/plans/limits-screen').then((m) => ({ default: m.LimitsScreen }))) },
          { path: '/portal/teams/:id', element: screen(() => import('../features/portal/portal-screen').then((m) => ({ default: m.PortalScreen }))) },
          { path: '/portal/:tab?', element: screen(() => import('../features/portal/portal-screen').then((m) => ({ default: m.PortalScreen }))) },
          { path: '/reach', element: screen(() => import('../features/reach/reach').then((m) => ({ default: m.ReachScreen }))) },
          { path: '/contract', element: screen(() => import('../features/contract/contract-screen').then((m) => ({ default: m.ContractScreen }))) },
          { path: '/addresses', element: screen(() => import('../features/addresses/addresses').then((m) => ({ default: m.Addresses }))) },
          { path: '/conditions', element: screen(() => import('../features/conditions/conditions').then((m) => ({ default: m.Conditions }))) },
          { path: '/authorizers', element: screen(() => import('../features/authorizers/authorizer-list').then((m) => ({ default: m.AuthorizerList }))) },
          {
            path: '/authorizers/new',
            element: screen(() => import('../features/authorizers/authorizer-screen').then((m) => ({ default: m.AuthorizerScreen }))),
          },
          {
            path: '/authorizers/named/:name',
            element: screen(() => import('../features/authorizers/authorizer-screen').then((m) => ({ default: m.AuthorizerScreen }))),
          },
          { path: '/tables', element: screen(() => import('../features/tables/tables').then((m) => ({ default: m.Tables }))) },
          { path: '/bench/:tab?', element: screen(() => import('../features/bench/bench').then((m) => ({ default: m.Bench }))) },
          { path: '/trials', element: screen(() => import('../features/trials/trials').then((m) => ({ default: m.TrialsScreen }))) },
          { path: '/personas', element: screen(() => import('../features/personas/personas').then((m) => ({ default: m.Personas }))) },
          { path: '/traces', element: screen(() => import('../features/traces/trace-list').then((m) => ({ default: m.TraceListScreen }))) },
          { path: '/traces/:id', element: screen(() => import('../features/traces/trace-screen').then((m) => ({ default: m.TraceScreen }))) },
          { path: '/releases/:number?', element: screen(() => import('../features/releases/releases').then((m) => ({ default: m.Releases }))) },
          { path: '/settings', element: screen(() => import('../features/settings/settings').then((m) => ({ default: m.Settings }))) },
          { path: '*', element: <NoSuchScreen /> },
        ],
      },
    ],
  },
]);
