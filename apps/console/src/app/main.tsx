import '@fontsource/jetbrains-mono/latin-400.css';
import '@fontsource/jetbrains-mono/latin-600.css';
import '@fontsource/schibsted-grotesk/latin-400.css';
import '@fontsource/schibsted-grotesk/latin-700.css';
import '@virga/parts/base.css';
import './styles.css';
import { QueryCache, QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { createRoot } from 'react-dom/client';
import { ApiProblem } from '../client/api';
import { App } from './app';

const client = new QueryClient({
  queryCache: new QueryCache({
    onError: (error, query) => {
      if (query.queryKey[0] !== 'session' && error instanceof ApiProblem && error.status === 401) void client.invalidateQueries({ queryKey: ['session'] });
    },
  }),
  defaultOptions: { queries: { staleTime: 1000, retry: (count, error) => count < 2 && !(error instanceof ApiProblem && error.status >= 400) } },
});

createRoot(document.getElementById('root') as HTMLElement).render(
  <QueryClientProvider client={client}>
    <App />
  </QueryClientProvider>,
);
