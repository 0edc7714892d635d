/** Which embedded metadata is included at an original's public URL. */
export const PUBLIC_METADATA = ['all', 'rights', 'none'] as const;
export type PublicMetadata = (typeof PUBLIC_METADATA)[number];

/** A folder's access settings; null inherits. */
export interface FolderAccess {
  publicMetadata: PublicMetadata | null;
}

/** The answer of `GET /folders/{id}/access`. */
export interface FolderAccessAnswer {
  own: FolderAccess;
  effective: {
    /** `from` is the path of the folder that sets it; null when no folder does. */
    publicMetadata: { value: PublicMetadata; from: string | null };
  };
}

/** The default where no folder sets it. */
export const DEFAULT_PUBLIC_METADATA: PublicMetadata = 'rights';

/** Computes the effective settings of the last of a chain of folders, which begins at the root. */
export function resolveAccess(
  chain: readonly { path: string; access: FolderAccess }[],
): FolderAccessAnswer['effective'] {
  for (const { path, access } of [...chain].reverse())
    if (access.publicMetadata !== null)
      return { publicMetadata: { value: access.publicMetadata, from: path } };
  return { publicMetadata: { value: DEFAULT_PUBLIC_METADATA, from: null } };
}
