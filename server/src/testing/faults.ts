import { execFileSync } from 'node:child_process';
import { rmSync, statfsSync, writeFileSync } from 'node:fs';
import type { AddressInfo } from 'node:net';
import { connect, createServer, type Server, type Socket } from 'node:net';
import { join } from 'node:path';

/** A connection to a database that can be cut and restored. */
export interface Line {
  port: number;
  cut(): Promise<void>;
  mend(): Promise<void>;
  close(): Promise<void>;
}

/** Opens a proxy to another port of loopback. */
export async function openLine(target: number): Promise<Line> {
  const sockets = new Set<Socket>();
  let server: Server;
  const listen = async (port: number) => {
    server = createServer((near) => {
      const far = connect(target, '127.0.0.1');
      for (const socket of [near, far]) {
        sockets.add(socket);
        socket.on('error', () => {});
        socket.on('close', () => {
          sockets.delete(socket);
          near.destroy();
          far.destroy();
        });
      }
      near.pipe(far).pipe(near);
    });
    await new Promise<void>((resolve) => server.listen(port, '127.0.0.1', resolve));
    return (server.address() as AddressInfo).port;
  };
  const cut = async () => {
    for (const socket of sockets) socket.destroy();
    await new Promise((resolve) => server.close(resolve));
  };
  const port = await listen(0);
  return {
    port,
    cut,
    mend: async () => {
      await listen(port);
    },
    close: cut,
  };
}

/** A small disk that can be filled. */
export interface SmallDisk {
  /** Fills it up to a number of free bytes. */
  fill(freeBytes: number): void;
  empty(): void;
  remove(): void;
}

/** Mounts a disk of this many megabytes at a folder; null without permission. */
export function mountSmallDisk(folder: string, megabytes: number): SmallDisk | null {
  try {
    execFileSync('mount', ['-t', 'tmpfs', '-o', `size=${megabytes}m`, 'tmpfs', folder], { stdio: 'ignore' });
  } catch {
    return null;
  }
  const ballast = join(folder, 'ballast');
  const empty = () => rmSync(ballast, { force: true });
  return {
    fill: (freeBytes) => {
      empty();
      const { bavail, bsize } = statfsSync(folder);
      writeFileSync(ballast, Buffer.alloc(Math.max(0, bavail * bsize - freeBytes)));
    },
    empty,
    remove: () => execFileSync('umount', ['-l', folder]),
  };
}
