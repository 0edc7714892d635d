import { QueryClient, QueryClientProvider } from '@tanstack/react-query';
import { render } from '@testing-library/react';
import userEvent from '@testing-library/user-event';
import { ALL_RIGHTS } from '@uniferum/core/access';
import type { ReactElement } from 'react';
import { createMemoryRouter, type RouteObject, RouterProvider, useLocation } from 'react-router';
import { CompositionProvider, composeStations } from '../console/composition.js';
import type { Station } from '../console/station.js';
import { STATIONS } from '../stations.js';
import { AskDialog } from '../ui/ask.js';
import { answer } from './fake-client.js';

export interface RenderOptions {
  /** The URL at which it is rendered. @defaultValue / */
  at?: string;
  /** The route at which it is rendered. @defaultValue every URL */
  path?: string;
  stations?: readonly Station[];
  rights?: readonly string[];
}

/** Renders a part of the console as seen by a signed-in user. */
export function show(
  element: ReactElement,
  { at = '/', path = '*', stations = STATIONS, rights = ALL_RIGHTS }: RenderOptions = {},
) {
  return showRoutes(
    [
      {
        path,
        element: (
          <>
            {element}
            <AskDialog />
            <Address />
          </>
        ),
      },
    ],
    { at, stations, rights },
  );
}

/** Renders routes as seen by a signed-in user. */
export function showRoutes(
  routes: RouteObject[],
  { at = '/', stations = STATIONS, rights = ALL_RIGHTS }: Omit<RenderOptions, 'path'> = {},
) {
  answer({ 'session.me': { kind: 'user', id: '1', name: 'Edda', rights } });
  const queries = new QueryClient({
    defaultOptions: { queries: { retry: false }, mutations: { retry: false } },
  });
  const router = createMemoryRouter(routes, { initialEntries: [at] });
  const shown = render(
    <QueryClientProvider client={queries}>
      <CompositionProvider value={composeStations(stations)}>
        <RouterProvider router={router} />
      </CompositionProvider>
    </QueryClientProvider>,
  );
  return { ...shown, user: userEvent.setup(), queries, address: () => router.state.location };
}

/** Shows the current location for tests to read. */
function Address() {
  const { pathname, search } = useLocation();
  return <output data-testid="address">{pathname + search}</output>;
}
