import { type Folder, parentPath, pathChain } from '@uniferum/core/library';
import { FolderPlus, Globe, HardDrive, PencilLine, Scale, Trash2, Upload } from 'lucide-react';
import { useState } from 'react';
import { Link } from 'react-router';
import { useRight } from '../access/hooks.js';
import { usePageTitle } from '../console/use-page-title.js';
import { PlacementDialog } from '../copies/placement-dialog.js';
import { AccessDialog } from '../rules/access-dialog.js';
import { RulesDialog } from '../rules/rules-dialog.js';
import { Button, IconButton } from '../ui/button.js';
import { formatNumber } from '../ui/format.js';
import { Draggable, DropFolder } from './dragging.js';
import { ChangeFolderDialog, MakeFolderDialog, RemoveFolderDialog } from './folder-dialogs.js';
import { LibraryViews } from './library-views.js';

interface FolderBarProps {
  folder: string;
  folders: readonly Folder[];
  onOpen: (path: string) => void;
}

/** The current folder, its subfolders, and its actions. */
export function FolderBar({ folder, folders, onOpen }: FolderBarProps) {
  const current = folders.find(({ path }) => path === folder) ?? null;
  const below = folders.filter(({ path }) => parentPath(path) === folder);
  return (
    <div className="flex shrink-0 flex-col">
      <div className="flex min-h-14 flex-wrap items-center justify-between gap-x-6 gap-y-1 px-6 pt-3 pb-1">
        <PathLine folder={folder} onOpen={onOpen} />
        <FolderActions folder={current} />
      </div>
      {below.length > 0 && <Shelf folders={below} onOpen={onOpen} />}
    </div>
  );
}

function PathLine({ folder, onOpen }: { folder: string; onOpen: (path: string) => void }) {
  const chain = pathChain(folder);
  usePageTitle(folder === '/' ? 'Library' : `${folder} – Library`);
  return (
    <h1 className="flex min-w-0 items-baseline gap-2 text-xl font-semibold">
      {chain.map((path, index) => {
        const name = path === '/' ? 'Library' : path.slice(path.lastIndexOf('/') + 1);
        return index === chain.length - 1 ? (
          <span key={path} aria-current="page" className="truncate">
            {name}
          </span>
        ) : (
          <span key={path} className="inline-flex items-baseline gap-2 font-normal text-soft">
            <DropFolder path={path}>
              <button type="button" className="hover:text-ink hover:underline" onClick={() => onOpen(path)}>
                {name}
              </button>
            </DropFolder>
            <span aria-hidden="true">/</span>
          </span>
        );
      })}
    </h1>
  );
}

/** The subfolders as a shelf, from left to right. */
function Shelf({ folders, onOpen }: { folders: readonly Folder[]; onOpen: (path: string) => void }) {
  return (
    <ul aria-label="Subfolders" className="flex gap-0 overflow-x-auto px-6 pb-2">
      {folders.map(({ id, path, name, deepItems }) => (
        <li key={id} className="border-l border-rule-strong pr-5 pl-2 first:border-l-2 first:border-l-oxide">
          <DropFolder path={path}>
            <Draggable thing={{ kind: 'folder', id, path }}>
              <button
                type="button"
                className="flex flex-col items-start whitespace-nowrap hover:text-oxide"
                onClick={() => onOpen(path)}
              >
                <span className="text-sm font-medium">{name}</span>
                <span className="figure text-soft">{formatNumber(deepItems)}</span>
              </button>
            </Draggable>
          </DropFolder>
        </li>
      ))}
    </ul>
  );
}

type Open = 'rules' | 'access' | 'placement' | 'make' | 'change' | 'remove' | null;

function FolderActions({ folder }: { folder: Folder | null }) {
  const [open, setOpen] = useState<Open>(null);
  const mayWrite = useRight('library:write');
  if (!folder) return null;
  return (
    <div className="flex flex-wrap items-center gap-1.5">
      <LibraryViews />
      <ChangeActions isTop={folder.path === '/'} onOpen={setOpen} />
      <IconButton name="Where its files are stored" onClick={() => setOpen('placement')}>
        <HardDrive className="size-4" />
      </IconButton>
      <IconButton name="What this folder publishes" onClick={() => setOpen('access')}>
        <Globe className="size-4" />
      </IconButton>
      <Button onClick={() => setOpen('rules')}>
        <Scale className="size-3.5" aria-hidden="true" /> Rules
      </Button>
      {mayWrite && <BringIn folder={folder} />}
      <OpenDialog folder={folder} open={open} onOpen={setOpen} />
    </div>
  );
}

interface ChangeActionsProps {
  /** The root folder cannot be renamed or deleted. */
  isTop: boolean;
  onOpen: (open: Open) => void;
}

function ChangeActions({ isTop, onOpen }: ChangeActionsProps) {
  const mayWrite = useRight('library:write');
  const mayDelete = useRight('library:delete');
  return (
    <>
      {mayWrite && (
        <>
          <IconButton name="New folder" onClick={() => onOpen('make')}>
            <FolderPlus className="size-4" />
          </IconButton>
          {!isTop && (
            <IconButton name="Rename or move this folder" onClick={() => onOpen('change')}>
              <PencilLine className="size-4" />
            </IconButton>
          )}
        </>
      )}
      {mayDelete && !isTop && (
        <IconButton name="Delete this folder" onClick={() => onOpen('remove')}>
          <Trash2 className="size-4" />
        </IconButton>
      )}
    </>
  );
}

interface OpenDialogProps {
  folder: Folder;
  open: Open;
  onOpen: (open: Open) => void;
}

function OpenDialog({ folder, open, onOpen }: OpenDialogProps) {
  const dialog = { folder, isOpen: true, onOpenChange: () => onOpen(null) };
  switch (open) {
    case 'rules':
      return <RulesDialog {...dialog} />;
    case 'access':
      return <AccessDialog {...dialog} />;
    case 'placement':
      return <PlacementDialog {...dialog} />;
    case 'make':
      return <MakeFolderDialog {...dialog} />;
    case 'change':
      return <ChangeFolderDialog {...dialog} />;
    case 'remove':
      return <RemoveFolderDialog {...dialog} />;
    default:
      return null;
  }
}

function BringIn({ folder }: { folder: Folder }) {
  return (
    <Link
      to={`/intake?folder=${encodeURIComponent(folder.path)}`}
      className="inline-flex h-8 items-center gap-2 rounded-[3px] border border-oxide bg-oxide px-3 text-sm font-medium text-oxide-ink hover:brightness-110"
    >
      <Upload className="size-3.5" aria-hidden="true" /> Import files
    </Link>
  );
}
