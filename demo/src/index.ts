export { makeFiles } from './make-files.js';
export { makePicture } from './make-picture.js';
export { paintView, type View } from './paint.js';
export { listPictures, type PictureJob } from './pictures.js';
export { KEEPERS, LIGHTS, type Light, NEWS, TIMES, type TimeOfDay, TRUST } from './scenario.js';
export { seed } from './seed.js';
