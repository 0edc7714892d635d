import { searchFolders } from '@uniferum/core/library';
import { Command } from 'cmdk';
import { ChevronsUpDown } from 'lucide-react';
import { Popover } from 'radix-ui';
import { useMemo, useRef, useState } from 'react';
import { classNames } from '../ui/class-names.js';
import { formatNumber } from '../ui/format.js';
import { FailureLine } from '../ui/notice.js';
import { useFolders } from './hooks.js';

/** The maximum number listed at once; typing finds the others. */
const MAX_LISTED = 60;

interface FolderPickerProps {
  /** A path; empty for none. */
  value: string;
  onChange: (path: string) => void;
  /** Adds an option for no folder, with this label. */
  none?: string;
  /** The label while no folder is selected. */
  placeholder?: string;
  /** Excludes a folder and its subfolders. */
  except?: string;
  className?: string;
  id?: string;
  'aria-label'?: string;
  'aria-describedby'?: string;
}

/** Selects a folder by typing part of its path. */
export function FolderPicker({
  value,
  onChange,
  none,
  placeholder = none ?? 'Choose a folder',
  except,
  className,
  ...rest
}: FolderPickerProps) {
  const [isOpen, setOpen] = useState(false);
  const choose = (path: string) => {
    setOpen(false);
    onChange(path);
  };
  return (
    <Popover.Root open={isOpen} onOpenChange={setOpen} modal>
      <Popover.Trigger asChild>
        <button
          type="button"
          role="combobox"
          aria-expanded={isOpen}
          aria-haspopup="listbox"
          title={value || undefined}
          className={classNames(
            'flex h-8 w-full items-center gap-2 rounded-[3px] border border-rule-strong bg-raised px-2.5 text-left text-sm',
            className,
          )}
          {...rest}
        >
          <span className={classNames('min-w-0 flex-1 truncate', value === '' && 'text-soft')}>
            {value || placeholder}
          </span>
          <ChevronsUpDown className="size-3.5 shrink-0 text-soft" aria-hidden="true" />
        </button>
      </Popover.Trigger>
      <Popover.Portal>
        <Popover.Content
          aria-label="Folders"
          align="start"
          sideOffset={4}
          collisionPadding={12}
          className="z-[60] w-[max(var(--radix-popover-trigger-width),22rem)] border border-rule-strong bg-raised"
        >
          <FolderList value={value} none={none} except={except} onChoose={choose} />
        </Popover.Content>
      </Popover.Portal>
    </Popover.Root>
  );
}

interface FolderListProps {
  value: string;
  none: string | undefined;
  except: string | undefined;
  onChoose: (path: string) => void;
}

function FolderList({ value, none, except, onChoose }: FolderListProps) {
  const { data: folders = [], error } = useFolders();
  const [typed, setTyped] = useState('');
  const list = useRef<HTMLDivElement>(null);
  const paths = useMemo(
    () =>
      folders
        .map(({ path }) => path)
        .filter((path) => except === undefined || (path !== except && !path.startsWith(`${except}/`))),
    [folders, except],
  );
  const { paths: found, more } = useMemo(() => searchFolders(paths, typed, MAX_LISTED), [paths, typed]);
  return (
    <Command shouldFilter={false} label="Folders" defaultValue={value}>
      <Command.Input
        autoFocus
        value={typed}
        onValueChange={(text) => {
          setTyped(text);
          // The best match comes first.
          list.current?.scrollTo({ top: 0 });
        }}
        placeholder={`Search ${formatNumber(paths.length)} ${paths.length === 1 ? 'folder' : 'folders'}`}
        className="w-full border-b border-rule bg-transparent px-3 py-2 text-sm outline-none"
      />
      <Command.List ref={list} className="max-h-72 overflow-y-auto p-1">
        <Command.Empty className="px-2 py-1.5 text-sm text-soft">
          {error ? <FailureLine error={error} /> : 'No folder matches.'}
        </Command.Empty>
        {none !== undefined && typed === '' && <FolderItem path="" words={none} onChoose={onChoose} />}
        {found.map((path) => (
          <FolderItem key={path} path={path} words={path} onChoose={onChoose} />
        ))}
      </Command.List>
      {more > 0 && (
        <p className="border-t border-rule px-3 py-1.5 text-xs text-soft">
          {formatNumber(more)} more. Type to narrow the list.
        </p>
      )}
    </Command>
  );
}

interface FolderItemProps {
  path: string;
  words: string;
  onChoose: (path: string) => void;
}

function FolderItem({ path, words, onChoose }: FolderItemProps) {
  return (
    <Command.Item
      value={path || 'none'}
      onSelect={() => onChoose(path)}
      className={classNames(
        'cursor-pointer truncate rounded-[3px] px-2 py-1 text-sm data-[selected=true]:bg-oxide-wash',
        path === '' && 'text-soft',
      )}
    >
      {words}
    </Command.Item>
  );
}
