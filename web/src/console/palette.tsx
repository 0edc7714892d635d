import { Command } from 'cmdk';
import { Dialog } from 'radix-ui';
import { useNavigate } from 'react-router';
import { useReturnedFocus } from '../ui/dialog.js';
import { useComposition } from './composition.js';
import { useOverlays } from './overlays.js';
import type { PaletteGroup } from './station.js';

/** Navigates to anything by typing part of its name. */
export function Palette() {
  const { shown, close } = useOverlays();
  const isOpen = shown === 'palette';
  const returnFocus = useReturnedFocus(isOpen);
  return (
    <Dialog.Root open={isOpen} onOpenChange={close}>
      <Dialog.Portal>
        <Dialog.Overlay className="fixed inset-0 z-40 bg-ground/75" />
        <Dialog.Content
          aria-describedby={undefined}
          onCloseAutoFocus={returnFocus}
          className="fixed top-11 left-1/2 z-50 w-[36rem] max-w-[calc(100vw-2rem)] -translate-x-1/2 border border-t-2 border-rule-strong border-t-oxide bg-raised"
        >
          <Dialog.Title className="sr-only">Go to</Dialog.Title>
          <PaletteList onDone={close} />
        </Dialog.Content>
      </Dialog.Portal>
    </Dialog.Root>
  );
}

function PaletteList({ onDone }: { onDone: () => void }) {
  const navigate = useNavigate();
  const { places, palette } = useComposition();
  const go = (path: string) => {
    onDone();
    void navigate(path);
  };
  return (
    <Command label="Go to">
      <Command.Input
        placeholder="A station or a folder"
        className="w-full border-b border-rule bg-transparent px-5 py-3 outline-none"
      />
      <Command.List className="max-h-[min(24rem,calc(100dvh-8rem))] overflow-y-auto p-2">
        <Command.Empty className="px-3 py-2 text-soft">
          No station or folder has this in its name.
        </Command.Empty>
        <Command.Group heading={<span className="px-3 eyebrow">Stations</span>}>
          {places
            .filter(({ isToCome }) => !isToCome)
            .map(({ name, path, key }) => (
              <PaletteItem key={path} onSelect={() => go(path)} text={name} note={`g ${key}`} />
            ))}
        </Command.Group>
        {palette.map((group) => (
          <PaletteEntries key={group.heading} group={group} onGo={go} />
        ))}
      </Command.List>
    </Command>
  );
}

interface PaletteEntriesProps {
  group: PaletteGroup;
  onGo: (path: string) => void;
}

function PaletteEntries({ group: { heading, useEntries }, onGo }: PaletteEntriesProps) {
  return (
    <Command.Group heading={<span className="px-3 eyebrow">{heading}</span>}>
      {useEntries().map(({ text, note, path }) => (
        <PaletteItem key={path} onSelect={() => onGo(path)} text={text} note={note} />
      ))}
    </Command.Group>
  );
}

function PaletteItem({ text, note, onSelect }: { text: string; note: string; onSelect: () => void }) {
  return (
    <Command.Item
      value={text}
      onSelect={onSelect}
      className="flex cursor-pointer items-center justify-between gap-4 rounded-[3px] px-3 py-1.5 data-[selected=true]:bg-oxide-wash"
    >
      <span>{text}</span>
      <span className="figure text-soft">{note}</span>
    </Command.Item>
  );
}
