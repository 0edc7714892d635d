/** Which embedded metadata is included at an original's public URL. */
export const PUBLIC_METADATA = ['all', 'rights', 'none'] as const;
export type PublicMetadata = (typeof PUBLIC_METADATA)[number];

/** Who may read files: everybody, or only those with a key, a session or a link. */
export const VISIBILITIES = ['public', 'private'] as const;
export type Visibility = (typeof VISIBILITIES)[number];

/** A folder's access settings; null inherits. */
export interface FolderAccess {
  visibility: Visibility | null;
  publicMetadata: PublicMetadata | null;
}

/** What replaces a folder's access settings; without a visibility, the one it has stays. */
export type FolderAccessChange = Omit<FolderAccess, 'visibility'> & Partial<FolderAccess>;

/** The answer of `GET /folders/{id}/access`. */
export interface FolderAccessAnswer {
  own: FolderAccess;
  effective: {
    /** `from` is the path of the folder that sets it; null when no folder does. */
    visibility: { value: Visibility; from: string | null };
    publicMetadata: { value: PublicMetadata; from: string | null };
  };
}

/** The default where no folder sets it. */
export const DEFAULT_PUBLIC_METADATA: PublicMetadata = 'rights';

/** Computes the effective settings of the last of a chain of folders, which begins at the root. */
export function resolveAccess(
  chain: readonly { path: string; access: FolderAccess }[],
): FolderAccessAnswer['effective'] {
  return {
    visibility: nearest(chain, 'visibility') ?? { value: 'public', from: null },
    publicMetadata: nearest(chain, 'publicMetadata') ?? { value: DEFAULT_PUBLIC_METADATA, from: null },
  };
}

function nearest<Key extends keyof FolderAccess>(
  chain: readonly { path: string; access: FolderAccess }[],
  key: Key,
): { value: NonNullable<FolderAccess[Key]>; from: string } | null {
  for (const { path, access } of [...chain].reverse()) {
    const value = access[key];
    if (value !== null) return { value, from: path };
  }
  return null;
}
