/** Blocks of embedded metadata, without what a format puts around them; null for those that a file doesn't have. */
export interface MetadataBlocks {
  /** A TIFF. */
  exif: Uint8Array | null;
  /** A packet in UTF-8. */
  xmp: Uint8Array | null;
  /** Records of IPTC's Information Interchange Model; only a JPEG has them. */
  iim: Uint8Array | null;
}

export const NO_METADATA: MetadataBlocks = { exif: null, xmp: null, iim: null };
