import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { isUniferumApiError } from '@uniferum/client';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { RouterProvider } from 'react-router/dom';
import { CompositionProvider, composeStations } from './console/composition.js';
import { createRouter } from './console/router.js';
import { STATIONS } from './stations.js';
import './styles.css';

const queries = new QueryClient({
  defaultOptions: {
    queries: {
      staleTime: 5000,
      refetchOnWindowFocus: false,
      // A refusal by the server is final; the client has already retried everything else.
      retry: (failures, error) => !isUniferumApiError(error) && failures < 1,
    },
  },
});

const composition = composeStations(STATIONS);

const root = document.getElementById('console');
if (!root) throw new Error('Expected an element with the id "console", got none');
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <CompositionProvider value={composition}>
        <RouterProvider router={createRouter(composition)} />
      </CompositionProvider>
    </QueryClientProvider>
  </StrictMode>,
);
