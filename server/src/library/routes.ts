import type { Inspector } from '../inspection/inspector.js';
import type { Route } from '../shared/route.js';
import { folderAccessRoutes } from './access-routes.js';
import { assetRoutes } from './asset-routes.js';
import { binRoutes } from './bin-routes.js';
import { bulkRoutes } from './bulk-routes.js';
import { findRoutes } from './find-routes.js';
import { folderRoutes } from './folder-routes.js';
import type { Joints } from './joints.js';
import { versionRoutes } from './version-routes.js';

/** The routes of folders and assets. */
export function libraryRoutes(joints: Joints, inspector: Inspector): Route[] {
  return [
    ...folderRoutes(joints),
    ...findRoutes(joints),
    ...versionRoutes(joints, inspector),
    ...binRoutes(joints),
    ...bulkRoutes(joints),
    ...folderAccessRoutes,
    ...assetRoutes(joints),
  ];
}
