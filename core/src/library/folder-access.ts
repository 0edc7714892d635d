/** What of the metadata that is embedded in an original comes along at its public address. */
export const PUBLIC_METADATA = ['all', 'rights', 'none'] as const;
export type PublicMetadata = (typeof PUBLIC_METADATA)[number];

/** What a folder lets out; null takes what holds above it. */
export interface FolderAccess {
  publicMetadata: PublicMetadata | null;
}

/** The answer of `GET /folders/{id}/access`. */
export interface FolderAccessAnswer {
  own: FolderAccess;
  effective: {
    /** `from` is the path of the folder that it comes from; null when no folder says anything. */
    publicMetadata: { value: PublicMetadata; from: string | null };
  };
}

/** What holds where no folder says anything. */
export const DEFAULT_PUBLIC_METADATA: PublicMetadata = 'rights';

/** Works out what holds in the last of a chain of folders, which begins at the root. */
export function resolveAccess(
  chain: readonly { path: string; access: FolderAccess }[],
): FolderAccessAnswer['effective'] {
  for (const { path, access } of [...chain].reverse())
    if (access.publicMetadata !== null)
      return { publicMetadata: { value: access.publicMetadata, from: path } };
  return { publicMetadata: { value: DEFAULT_PUBLIC_METADATA, from: null } };
}
