import { apiAt } from '@virga/parts';

export { ApiProblem, withQuery } from '@virga/parts';

/** The portal's own API. */
export const api = apiAt('/portal/v1', { title: 'The portal cannot be reached', detail: 'Try again in a moment.' });
