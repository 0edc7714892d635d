import { ViewLinks } from '../ui/view-links.js';

/** The views of the runs station. */
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
