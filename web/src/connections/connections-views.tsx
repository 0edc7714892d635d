import { ViewLinks } from '../ui/view-links.js';
import { useConnections } from './hooks.js';

/** The views of the connections station. */
export function ConnectionsViews() {
  const { data: connections } = useConnections();
  return (
    <ViewLinks
      label="Views of connections"
      views={[
        { to: '/connections', name: 'Connections', count: connections?.length },
        { to: '/connections/stores', name: 'Stores' },
      ]}
    />
  );
}
