import { accessRoom } from './access/room.js';
import { connectionsRoom } from './connections/room.js';
import { copiesRoom } from './copies/room.js';
import { eventsRoom } from './events/room.js';
import { flowRoom } from './flow/room.js';
import { composeRooms, type House } from './house/compose-rooms.js';
import type { Room } from './house/room.js';
import { Inspector } from './inspection/inspector.js';
import { inspectionRoom } from './inspection/room.js';
import { intakeRoom } from './intake/room.js';
import { libraryRoom } from './library/room.js';
import { pagesRoom } from './pages/room.js';
import { Rendering } from './recipes/rendering.js';
import { recipesRoom } from './recipes/room.js';
import { rulesRoom } from './rules/room.js';
import { runsRoom } from './runs/room.js';
import { servingRoom } from './serving/room.js';
import type { Services } from './shared/services.js';
import { storesRoom } from './stores/room.js';

/** The process pools for untrusted and heavy work. */
export interface Processes {
  inspector: Inspector;
  rendering: Rendering;
}

/** Creates the process pools of a server or a worker; processes start on demand. */
export function prepareProcesses(services: Services, role: 'server' | 'worker'): Processes {
  const isBackground = role === 'worker';
  const { config, store } = services;
  return {
    inspector: new Inspector({ ...config.inspect, isBackground, scratchDir: store.scratch() }),
    rendering: isBackground ? Rendering.ofWorker(services) : Rendering.ofServer(services),
  };
}

export async function closeProcesses({ inspector, rendering }: Processes): Promise<void> {
  await Promise.all([inspector.close(), rendering.close()]);
}

/** Every room in dependency order. This is the only file that lists all of them. */
export function createRooms(services: Services, processes: Processes): Room[] {
  return [
    storesRoom(services),
    accessRoom(services),
    eventsRoom(services),
    connectionsRoom(),
    runsRoom(),
    inspectionRoom(),
    libraryRoom(services, processes),
    rulesRoom(services),
    recipesRoom(services, processes),
    intakeRoom(services, processes),
    copiesRoom(services),
    servingRoom(services, processes),
    pagesRoom(services, processes),
    flowRoom(),
  ];
}

/** Composes all rooms. */
export function createHouse(services: Services, processes: Processes): House {
  return composeRooms(createRooms(services, processes));
}
