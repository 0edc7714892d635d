import type { Services } from '../shared/services.js';
import type { Joints } from './joints.js';

/** What library code requires: the installation, and the extensions of other rooms. */
export interface LibraryTools extends Services {
  joints: Joints;
}
