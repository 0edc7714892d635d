/** What its sender is told about a picture that is taken in: something of it is not shown, or less of it. */
export type PictureNote =
  /** It ends before it is complete. */
  | 'truncated'
  /** Renditions of an animated PNG show its first frame. */
  | 'animated-png'
  /** It has more than 8 bits per channel, and renditions have 8. */
  | 'deep'
  /** A camera raw file without a picture that can be shown. */
  | 'no-preview'
  /** A TIFF of signed or complex numbers, which stand for measurements rather than colours. */
  | 'measurements';
