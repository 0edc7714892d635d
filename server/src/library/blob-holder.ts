/** A column that holds digests of blobs: while one stands there, its bytes stay. */
export interface BlobHolder {
  table: string;
  column: string;
  /** Which rows hold; all when there is none. */
  where?: string;
}
