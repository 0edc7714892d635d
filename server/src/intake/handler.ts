import { rm } from 'node:fs/promises';
import type { Reason } from '@uniferum/core';
import type { IntakeSource, ItemContext, ItemResult, RunHandler, RunInputs } from '../runs/handler.js';
import { FetchFailure } from '../shared/outgoing.js';
import { type OpenArchive, openArchive } from './archive-reader.js';
import { fetchFile } from './fetch-file.js';
import { findInInbox, inboxPath } from './inbox.js';
import { forgetInboxRun, rememberRegistered } from './inbox-queries.js';
import {
  forBatch,
  type IncomingFile,
  type IntakeContext,
  type IntakeTools,
  type ReceivedFile,
} from './incoming.js';
import { settleFiles } from './settle.js';
import { discardAll, makeDurable, receiveStaged, refuseFileIn } from './take-in.js';

type Input = RunInputs['intake'];

/** A file of which no bytes came, and why. */
interface Unreceived {
  name: string;
  reason: Pick<Reason, 'code' | 'message'>;
}

/** So many files of an item are received at a time: hashing waits for the disk. */
const IN_FLIGHT = 6;

/** Takes the files of a batch in, wherever they come from: each item is a few of them. */
export function intakeHandler(tools: IntakeTools): RunHandler<Input> {
  return {
    work: (input, context) => takeFilesIn(tools, input, context),
    giveUp: async (tx, { intake, files }, error) => {
      for (const file of files)
        await refuseFileIn(tx, intake, nameOf(file), {
          code: 'incomplete',
          message: `${nameOf(file)} could not be taken in: ${error} Try it again.`,
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
  const moved: string[] = [];
  return {
    outcome: 'done',
    note: files.length === 1 ? nameOf(files[0] as IntakeSource) : `${files.length} files`,
    persist: () => makeDurable(tools, received),
    record: async (tx) => {
      const results = await settleFiles(tools, tx, intake, received);
      for (const { name, reason } of unreceived) await refuseFileIn(tx, intake, name, reason);
      const registered = received.flatMap((one, index) => {
        const { from } = sources.get(one) as IntakeSource;
        const result = results[index];
        return from.kind === 'inbox' && result
          ? [{ ...from, sha256: result.sha256, assetId: result.assetId }]
          : [];
      });
      await rememberRegistered(tx, registered);
      await forgetInboxRun(tx, inboxPaths(files));
      moved.push(
        ...registered
          .filter(({ mode, assetId }) => mode === 'move' && assetId !== null)
          .map(({ path }) => path),
      );
      const done = results.filter(({ verdict }) => verdict.outcome !== 'refused').length;
      return { done, skipped: results.length - done + unreceived.length, failed: 0 };
    },
    release: async () => {
      await discardAll(received);
      for (const path of moved) await rm(inboxPath(tools.config, path), { force: true });
    },
  };
}

/** @throws Error when it could go better the next time */
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
  } catch (error) {
    signal.throwIfAborted();
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
  const archive = await archives.open(tools, from.sha256);
  const entry = archive.entries[from.entry];
  if (!entry) throw new Error(`the archive has no entry ${from.entry} any more`);
  const staged = await tools.store.stage(await archive.read(entry), {
    limitBytes: tools.config.maxUploadBytes,
  });
  if (staged.crc32 !== entry.crc32) {
    await staged.discard();
    return {
      name: nameOf(source),
      reason: {
        code: 'unreadable',
        message: `${entry.name} is damaged: its bytes don't match the checksum in the archive. Pack it again.`,
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
      : ({ mode: mode === 'move' ? 'link' : 'copy' } as const);
  const staged = await tools.store.adopt(await findInInbox(tools.config, path), adoption);
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

/** Keeps the archives open that are being unpacked, so that their directory is read once and not for each item. */
const archives = {
  held: new Map<string, Promise<OpenArchive>>(),
  async open({ store, config }: IntakeTools, sha256: string): Promise<OpenArchive> {
    const held = this.held.get(sha256);
    if (held) return held;
    const opened = openArchive(store.localPath(sha256), config.archive.maxEntries);
    this.held.set(sha256, opened);
    opened.catch(() => this.held.delete(sha256));
    for (const [key, old] of this.held) {
      if (this.held.size <= 2) break;
      this.held.delete(key);
      void old.then((archive) => archive.close()).catch(() => {});
    }
    return opened;
  },
};
