import type { Services } from '../shared/services.js';
import type { Joints } from './joints.js';

/** What the work of the library needs: the installation, and what other rooms plug in. */
export interface LibraryTools extends Services {
  joints: Joints;
}
