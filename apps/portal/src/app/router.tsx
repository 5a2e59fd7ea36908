import { lazy, Suspense, type ComponentType } from 'react';
import { createBrowserRouter } from 'react-router';
import { NoSuchPage, PageFault } from '../parts/no-page';
import { Shell } from './shell';

/** A page that is loaded when it is opened. */
const page = (load: () => Promise<{ default: ComponentType }>) => {
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
    errorElement: <PageFault />,
    children: [
      {
        errorElement: <PageFault />,
        children: [
          { path: '/', element: page(() => import('../features/catalogue/api-list').then((m) => ({ default: m.ApiList }))) },
          { path: '/apis/:id/:tab?', element: page(() => import('../features/catalogue/api-page').then((m) => ({ default: m.ApiPage }))) },
          { path: '/clients', element: page(() => import('../features/clients/client-list').then((m) => ({ default: m.ClientList }))) },
          { path: '/clients/:id', element: page(() => import('../features/clients/client-page').then((m) => ({ default: m.ClientPage }))) },
          { path: '/team', element: page(() => import('../features/account/team').then((m) => ({ default: m.Team }))) },
          { path: '/account', element: page(() => import('../features/account/account').then((m) => ({ default: m.Account }))) },
          { path: '/sign-in', element: page(() => import('../features/account/sign-in').then((m) => ({ default: m.SignIn }))) },
          { path: '/register', element: page(() => import('../features/account/register').then((m) => ({ default: m.Register }))) },
          { path: '/invitation', element: page(() => import('../features/account/invitation').then((m) => ({ default: m.Invitation }))) },
          { path: '/look', element: page(() => import('../features/account/look').then((m) => ({ default: m.Look }))) },
          { path: '/pages/:slug', element: page(() => import('../features/pages/page').then((m) => ({ default: m.Page }))) },
          { path: '*', element: <NoSuchPage /> },
        ],
      },
    ],
  },
]);
