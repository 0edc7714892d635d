import { formatCount } from '@uniferum/core/intake';
import type { PaletteGroup } from '../console/station.js';
import { libraryAddress } from './address.js';
import { useFolders } from './hooks.js';

/** Every folder, in the palette. */
export const folderPalette: PaletteGroup = {
  heading: 'Folders',
  useEntries: () => {
    const { data: folders = [] } = useFolders();
    return folders.map(({ path, deepItems }) => ({
      text: path,
      note: formatCount(deepItems, 'item'),
      path: libraryAddress(path),
    }));
  },
};
