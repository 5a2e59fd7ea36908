import { apiAt } from '@virga/parts';

export { ApiProblem, withQuery } from '@virga/parts';

/** The control API. */
export const api = apiAt('/control/v1', {
  title: 'The control plane cannot be reached',
  detail: 'The gateway goes on serving its last release. This page tries again by itself.',
});
