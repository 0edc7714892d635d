/** A column that references blobs by digest: a referenced blob is kept. */
export interface BlobHolder {
  table: string;
  column: string;
  /** Limits which rows count as references; all when absent. */
  where?: string;
}
