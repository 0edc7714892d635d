import type { Reason } from '@uniferum/core/intake';
import type { ItemContext, ItemResult, RunHandler } from '../runs/handler.js';
import { isEnvironmentFault, UniferumError } from '../shared/errors.js';
import { FetchFailure } from '../shared/outgoing.js';
import { explainStoreFault } from '../stores/store-faults.js';
import { type OpenArchive, openArchive } from './archive-reader.js';
import { fetchFile } from './fetch-file.js';
import { HeldArchives } from './held-archives.js';
import { findInInbox } from './inbox.js';
import { forgetInboxRun, rememberRegistered } from './inbox-queries.js';
import type { IncomingFile, IntakeContext, ReceivedFile, TakenIn } from './incoming.js';
import { identityText, removeMoved } from './remove-moved.js';
import type { IntakeInput, IntakeSource } from './run-kind.js';
import { judgeAndStore } from './settle.js';
import { discardAll, makeDurable, receiveStaged, refuseFileIn } from './take-in.js';
import { forBatch, type IntakeTools } from './tools.js';

type Input = IntakeInput;

/** A file whose bytes could not be read, and why. */
interface Unreceived {
  name: string;
  reason: Pick<Reason, 'code' | 'message'>;
}

/** Their next entries are about to be read. */
const archives = new HeldArchives<OpenArchive>(2);
/** How many files of an item are received at a time: hashing waits for the disk. */
const IN_FLIGHT = 6;

/** Imports the files of a batch from any source; each item is a few of them. */
export function intakeHandler(tools: IntakeTools): RunHandler<Input> {
  return {
    work: (input, context) => takeFilesIn(tools, input, context),
    // Several slow downloads, one after the other.
    maxMs: 3 * 3_600_000,
    giveUp: async (tx, { intake, files }, error) => {
      for (const file of files)
        await refuseFileIn(tx, intake, nameOf(file), {
          code: 'incomplete',
          message: `${nameOf(file)} could not be imported: ${error} Try again.`,
        });
      await forgetInboxRun(tx, inboxPaths(files));
    },
  };
}

async function takeFilesIn(
  installation: IntakeTools,
  { intake, files }: Input,
  { signal }: ItemContext,
): Promise<ItemResult> {
  const tools = forBatch(installation);
  const received: ReceivedFile[] = [];
  const sources = new Map<ReceivedFile, IntakeSource>();
  const unreceived: Unreceived[] = [];
  const queue = [...files.entries()];
  const slots: (ReceivedFile | undefined)[] = new Array(files.length);
  const receiveNext = async (): Promise<void> => {
    for (let next = queue.shift(); next; next = queue.shift()) {
      signal.throwIfAborted();
      const [index, source] = next;
      const came = await receive(tools, source, intake, signal);
      if ('staged' in came) {
        slots[index] = came;
        sources.set(came, source);
      } else unreceived.push(came);
    }
  };
  try {
    const workers = await Promise.allSettled(
      Array.from({ length: Math.min(IN_FLIGHT, files.length) }, receiveNext),
    );
    const failed = workers.find((worker) => worker.status === 'rejected');
    received.push(...slots.filter((one) => one !== undefined));
    if (failed) throw failed.reason;
  } catch (error) {
    await discardAll(received);
    throw error;
  }
  let moved: string[] = [];
  return {
    outcome: 'done',
    note: files.length === 1 ? nameOf(files[0] as IntakeSource) : `${files.length} files`,
    persist: () => makeDurable(tools, received),
    record: async (tx) => {
      const results = await judgeAndStore(tools, tx, intake, received);
      for (const { name, reason } of unreceived) await refuseFileIn(tx, intake, name, reason);
      const registered = received.flatMap((one, index) => {
        const { from } = sources.get(one) as IntakeSource;
        const result = results[index];
        return from.kind === 'inbox' && result
          ? [
              {
                ...from,
                sha256: result.sha256,
                assetId: result.assetId,
                readFile: readFileOf(one, from.mode, result),
              },
            ]
          : [];
      });
      await rememberRegistered(tx, registered);
      await forgetInboxRun(tx, inboxPaths(files));
      moved = registered.filter(({ readFile }) => readFile !== null).map(({ path }) => path);
      const done = results.filter(({ verdict }) => verdict.outcome !== 'refused').length;
      return { done, skipped: results.length - done + unreceived.length, failed: 0 };
    },
    release: async () => {
      await discardAll(received);
    },
    afterwards: () => removeMoved(tools, moved),
  };
}

/** The inbox file to remove now that it is in the library; null for none. */
function readFileOf(
  { staged }: ReceivedFile,
  mode: 'copy' | 'move' | 'place',
  { assetId }: TakenIn,
): string | null {
  return mode === 'move' && assetId !== null && staged.source ? identityText(staged.source) : null;
}

/** @throws Error when a retry may succeed */
async function receive(
  tools: IntakeTools,
  source: IntakeSource,
  intake: IntakeContext,
  signal: AbortSignal,
): Promise<ReceivedFile | Unreceived> {
  try {
    switch (source.from.kind) {
      case 'archive':
        return await receiveEntry(tools, source, source.from);
      case 'inbox':
        return await receiveFromInbox(tools, source, source.from);
      case 'address':
        return await receiveFromAddress(tools, source, source.from.address, signal);
    }
  } catch (thrown) {
    signal.throwIfAborted();
    // A full disk or a lost database is not the file's fault: the item is retried.
    const error = explainStoreFault(thrown, tools.store.name);
    if (isEnvironmentFault(error)) throw error;
    if (error instanceof FetchFailure) {
      if (error.mayRetry) throw error;
      return {
        name: nameOf(source),
        reason: { code: 'address-failed', message: `${nameOf(source)} was not fetched: ${error.message}.` },
      };
    }
    if (intake.way === 'archive' || source.from.kind === 'inbox') {
      const message = error instanceof Error ? error.message : String(error);
      return {
        name: nameOf(source),
        reason: { code: 'unreadable', message: `${nameOf(source)} can't be read: ${message}.` },
      };
    }
    throw error;
  }
}

async function receiveEntry(
  tools: IntakeTools,
  source: IntakeSource,
  from: IntakeSource['from'] & { kind: 'archive' },
): Promise<ReceivedFile | Unreceived> {
  const openIt = () => openKept(tools.store, from.sha256, tools.config.archive.maxEntries);
  const { entry, staged } = await archives.use(from.sha256, openIt, async (archive) => {
    const entry = archive.entries[from.entry];
    if (!entry) throw new Error(`the archive no longer contains entry ${from.entry}`);
    const limitBytes = tools.config.maxUploadBytes;
    return { entry, staged: await tools.store.stage(await archive.read(entry), { limitBytes }) };
  });
  // Of what is larger than any file may be, only the beginning was read; it is refused by the rules.
  if (staged.path !== null && staged.crc32 !== entry.crc32) {
    await staged.discard();
    return {
      name: nameOf(source),
      reason: {
        code: 'unreadable',
        message: `${entry.name} is damaged: its bytes don't match the checksum in the archive. Create the archive again.`,
      },
    };
  }
  return receiveStaged(tools, incoming(source, nameOf(source)), staged);
}

async function receiveFromInbox(
  tools: IntakeTools,
  source: IntakeSource,
  { path, mode }: IntakeSource['from'] & { kind: 'inbox' },
): Promise<ReceivedFile> {
  const adoption =
    mode === 'place'
      ? ({ mode, store: 'inbox', key: path } as const)
      : // Never a hard link, not even to move: a program that still has the file open would keep writing into the store.
        ({ mode: 'copy' } as const);
  const staged = await tools.store.importLocalFile(await findInInbox(tools.config, path), adoption);
  return receiveStaged(tools, incoming(source, nameOf(source)), staged);
}

async function receiveFromAddress(
  tools: IntakeTools,
  source: IntakeSource,
  address: string,
  signal: AbortSignal,
): Promise<ReceivedFile> {
  const limitBytes = tools.config.maxUploadBytes;
  const { name, stream } = await fetchFile(tools.config, address, { name: source.name, limitBytes, signal });
  return receiveStaged(tools, incoming(source, name), await tools.store.stage(stream, { limitBytes }));
}

function incoming({ folder, texts, capturedAt }: IntakeSource, name: string): IncomingFile {
  return { name, folder, texts, capturedAt };
}

function nameOf({ name, from }: IntakeSource): string {
  if (name !== null) return name;
  if (from.kind === 'inbox') return from.path.slice(from.path.lastIndexOf('/') + 1);
  return from.kind === 'address' ? shorten(from.address) : `entry ${from.entry}`;
}

function shorten(address: string): string {
  return address.length > 120 ? `${address.slice(0, 119)}…` : address;
}

function inboxPaths(files: readonly IntakeSource[]): string[] {
  return files.flatMap(({ from }) => (from.kind === 'inbox' ? [from.path] : []));
}

async function openKept(
  store: IntakeTools['store'],
  sha256: string,
  maxEntries: number,
): Promise<OpenArchive> {
  if (!(await store.has(sha256)))
    throw new UniferumError(
      'store-away',
      `The bytes of the archive are not in the store "${store.name}". Check that it is mounted.`,
      { retryAfterSeconds: 30 },
    );
  const file = await store.borrow(sha256);
  try {
    const archive = await openArchive(file.path, maxEntries);
    const close = () => {
      archive.close();
      void file.release();
    };
    return { ...archive, close };
  } catch (error) {
    await file.release();
    throw error;
  }
}
