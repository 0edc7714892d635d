import { ViewLinks } from '../ui/view-links.js';

/** What the station of the runs shows. */
export function RunsViews() {
  return (
    <ViewLinks
      label="Views of the runs"
      views={[
        { to: '/runs', name: 'Runs' },
        { to: '/runs/workers', name: 'Workers and failures' },
      ]}
    />
  );
}
