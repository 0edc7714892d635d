export { type ImageSources, imageSources, sheetRendition } from './srcset.js';
