import { ViewLinks } from '../ui/view-links.js';
import { useSources } from './hooks.js';

/** The views of the pages station. */
export function PagesViews() {
  const { data: sources } = useSources();
  return (
    <ViewLinks
      label="Views of the pages"
      views={[
        { to: '/pages', name: 'Pages', count: sources?.find(({ kind }) => kind === 'pages')?.documents },
        { to: '/pages/types', name: 'Page types' },
        { to: '/pages/sources', name: 'Sources', count: sources?.length },
        { to: '/pages/assets', name: 'Site assets' },
        {
          to: '/pages/broken',
          name: 'Broken references',
          count: sources?.reduce((sum, { broken }) => sum + broken, 0),
        },
      ]}
    />
  );
}
