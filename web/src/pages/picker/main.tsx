import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { StrictMode } from 'react';
import { createRoot } from 'react-dom/client';
import { sendBy } from '../../client.js';
import '../../styles.css';
import { listenToHost, useHost, withToken } from './host.js';
import { PickerApp } from './picker-app.js';

sendBy({ fetch: withToken(globalThis.fetch), token: () => useHost.getState().token });
listenToHost();

const queries = new QueryClient({ defaultOptions: { queries: { retry: false, staleTime: 5000 } } });
const root = document.getElementById('console');
if (!root) throw new Error('Expected an element with the id "console", got none');
createRoot(root).render(
  <StrictMode>
    <QueryClientProvider client={queries}>
      <PickerApp />
    </QueryClientProvider>
  </StrictMode>,
);
