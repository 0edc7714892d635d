import type { PictureNote } from '../inspection/picture-notes.js';
import type { Reason, ReasonCode } from '../intake/verdict.js';

const PICTURE_NOTES: Record<PictureNote, { code: ReasonCode; say: (name: string) => string }> = {
  truncated: {
    code: 'truncated',
    say: (name) =>
      `${name} ends before the picture is complete. It is shown as far as it goes. Upload it again if the original is whole.`,
  },
  'animated-png': {
    code: 'reduced',
    say: (name) =>
      `${name} is an animated PNG. The original stays animated, but renditions show its first frame. Upload a GIF or an animated WebP for renditions that move.`,
  },
  deep: {
    code: 'reduced',
    say: (name) =>
      `${name} has more than 8 bits per channel. The original is kept as it is; renditions have 8.`,
  },
  'no-preview': {
    code: 'not-showable',
    say: (name) =>
      `${name} is a camera raw file without an embedded preview. It is kept, but no renditions can be created, and browsers can't show it. Upload a JPEG of it as well.`,
  },
  measurements: {
    code: 'not-showable',
    say: (name) =>
      `${name} contains signed or complex numbers, as scientific data does, and doesn't say which colours they represent. It is kept, but no renditions can be created. Upload a copy in ordinary colours as well.`,
  },
};

/** What is said about a picture that is taken in, though something of it is not shown. */
export function judgePicture(name: string, notes: readonly PictureNote[]): Reason[] {
  return notes.map((note) => {
    const { code, say } = PICTURE_NOTES[note];
    return { code, message: say(name), limit: null, actual: null, folder: null };
  });
}
